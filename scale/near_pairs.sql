-- Pairs of different fingerprints within 24 bits, found by their bands as they are and with each bit of a band turned over:
-- k + m - 2 (k & m) is k with the bit m turned, and (a | b) - (a & b) is a XOR b in every engine, without overflow. The
-- distance is taken within the join: what is farther apart is never stored.
-- In: fingerprints, bands. Out: near_pairs (a, b, distance_bits), two ids with a < b.
CREATE TABLE near_pairs AS
WITH near AS (
  SELECT DISTINCT a_0, a_1, a_2, a_3, b_0, b_1, b_2, b_3, distance_bits
  FROM (
    SELECT
      probe.word_0 AS a_0, probe.word_1 AS a_1, probe.word_2 AS a_2, probe.word_3 AS a_3,
      bands.word_0 AS b_0, bands.word_1 AS b_1, bands.word_2 AS b_2, bands.word_3 AS b_3,
      CAST(bit_count(((probe.word_0 | bands.word_0) - (probe.word_0 & bands.word_0))) AS int)
      + CAST(bit_count(((probe.word_1 | bands.word_1) - (probe.word_1 & bands.word_1))) AS int)
      + CAST(bit_count(((probe.word_2 | bands.word_2) - (probe.word_2 & bands.word_2))) AS int)
      + CAST(bit_count(((probe.word_3 | bands.word_3) - (probe.word_3 & bands.word_3))) AS int) AS distance_bits
    FROM (
      SELECT band, band_key, word_0, word_1, word_2, word_3 FROM bands
      UNION ALL
      SELECT
        bands.band,
        bands.band_key + flips.mask - 2 * (bands.band_key & flips.mask) AS band_key,
        bands.word_0, bands.word_1, bands.word_2, bands.word_3
      FROM bands
      JOIN (VALUES (0, 1), (1, 2), (2, 4), (3, 8), (4, 16), (5, 32), (6, 64), (7, 128), (8, 256), (9, 512), (10, 1024), (11, 2048), (12, 4096), (13, 8192), (14, 16384), (15, 32768), (16, 65536), (17, 131072), (18, 262144), (19, 524288)) AS flips(flipped_bit, mask)
        ON flips.flipped_bit < bands.bits
    ) AS probe
    JOIN bands ON bands.band = probe.band AND bands.band_key = probe.band_key
    WHERE (probe.word_0 < bands.word_0
      OR (probe.word_0 = bands.word_0 AND probe.word_1 < bands.word_1)
      OR (probe.word_0 = bands.word_0 AND probe.word_1 = bands.word_1 AND probe.word_2 < bands.word_2)
      OR (probe.word_0 = bands.word_0 AND probe.word_1 = bands.word_1 AND probe.word_2 = bands.word_2
        AND probe.word_3 < bands.word_3))
  ) AS measured
  WHERE distance_bits <= 24
)
SELECT
  CASE WHEN one.fingerprint_id < other.fingerprint_id THEN one.fingerprint_id ELSE other.fingerprint_id END AS a,
  CASE WHEN one.fingerprint_id < other.fingerprint_id THEN other.fingerprint_id ELSE one.fingerprint_id END AS b,
  near.distance_bits
FROM near
JOIN fingerprints AS one
  ON one.word_0 = near.a_0 AND one.word_1 = near.a_1 AND one.word_2 = near.a_2 AND one.word_3 = near.a_3
JOIN fingerprints AS other
  ON other.word_0 = near.b_0 AND other.word_1 = near.b_1 AND other.word_2 = near.b_2 AND other.word_3 = near.b_3;
