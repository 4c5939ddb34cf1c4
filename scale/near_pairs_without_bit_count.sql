-- near_pairs.sql for engines without bit_count: the bits of each quarter of a word are added up by two, four and eight
-- (Knuth, The Art of Computer Programming 4A, 7.1.3), where nothing overflows.
-- In: fingerprints, bands. Out: near_pairs (a, b, distance_bits), two ids with a < b.
CREATE TABLE near_pairs AS
WITH quarters AS (
  SELECT
      probe.word_0 AS a_0, probe.word_1 AS a_1, probe.word_2 AS a_2, probe.word_3 AS a_3,
      bands.word_0 AS b_0, bands.word_1 AS b_1, bands.word_2 AS b_2, bands.word_3 AS b_3,
      ((((probe.word_0 | bands.word_0) - (probe.word_0 & bands.word_0)) >> 0) & 65535) AS q_0,
      ((((probe.word_0 | bands.word_0) - (probe.word_0 & bands.word_0)) >> 16) & 65535) AS q_1,
      ((((probe.word_0 | bands.word_0) - (probe.word_0 & bands.word_0)) >> 32) & 65535) AS q_2,
      ((((probe.word_0 | bands.word_0) - (probe.word_0 & bands.word_0)) >> 48) & 65535) AS q_3,
      ((((probe.word_1 | bands.word_1) - (probe.word_1 & bands.word_1)) >> 0) & 65535) AS q_4,
      ((((probe.word_1 | bands.word_1) - (probe.word_1 & bands.word_1)) >> 16) & 65535) AS q_5,
      ((((probe.word_1 | bands.word_1) - (probe.word_1 & bands.word_1)) >> 32) & 65535) AS q_6,
      ((((probe.word_1 | bands.word_1) - (probe.word_1 & bands.word_1)) >> 48) & 65535) AS q_7,
      ((((probe.word_2 | bands.word_2) - (probe.word_2 & bands.word_2)) >> 0) & 65535) AS q_8,
      ((((probe.word_2 | bands.word_2) - (probe.word_2 & bands.word_2)) >> 16) & 65535) AS q_9,
      ((((probe.word_2 | bands.word_2) - (probe.word_2 & bands.word_2)) >> 32) & 65535) AS q_10,
      ((((probe.word_2 | bands.word_2) - (probe.word_2 & bands.word_2)) >> 48) & 65535) AS q_11,
      ((((probe.word_3 | bands.word_3) - (probe.word_3 & bands.word_3)) >> 0) & 65535) AS q_12,
      ((((probe.word_3 | bands.word_3) - (probe.word_3 & bands.word_3)) >> 16) & 65535) AS q_13,
      ((((probe.word_3 | bands.word_3) - (probe.word_3 & bands.word_3)) >> 32) & 65535) AS q_14,
      ((((probe.word_3 | bands.word_3) - (probe.word_3 & bands.word_3)) >> 48) & 65535) AS q_15
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
),
twos AS (
  SELECT a_0, a_1, a_2, a_3, b_0, b_1, b_2, b_3,
    q_0 - ((q_0 >> 1) & 21845) AS q_0,
    q_1 - ((q_1 >> 1) & 21845) AS q_1,
    q_2 - ((q_2 >> 1) & 21845) AS q_2,
    q_3 - ((q_3 >> 1) & 21845) AS q_3,
    q_4 - ((q_4 >> 1) & 21845) AS q_4,
    q_5 - ((q_5 >> 1) & 21845) AS q_5,
    q_6 - ((q_6 >> 1) & 21845) AS q_6,
    q_7 - ((q_7 >> 1) & 21845) AS q_7,
    q_8 - ((q_8 >> 1) & 21845) AS q_8,
    q_9 - ((q_9 >> 1) & 21845) AS q_9,
    q_10 - ((q_10 >> 1) & 21845) AS q_10,
    q_11 - ((q_11 >> 1) & 21845) AS q_11,
    q_12 - ((q_12 >> 1) & 21845) AS q_12,
    q_13 - ((q_13 >> 1) & 21845) AS q_13,
    q_14 - ((q_14 >> 1) & 21845) AS q_14,
    q_15 - ((q_15 >> 1) & 21845) AS q_15
  FROM quarters
),
fours AS (
  SELECT a_0, a_1, a_2, a_3, b_0, b_1, b_2, b_3,
    (q_0 & 13107) + ((q_0 >> 2) & 13107) AS q_0,
    (q_1 & 13107) + ((q_1 >> 2) & 13107) AS q_1,
    (q_2 & 13107) + ((q_2 >> 2) & 13107) AS q_2,
    (q_3 & 13107) + ((q_3 >> 2) & 13107) AS q_3,
    (q_4 & 13107) + ((q_4 >> 2) & 13107) AS q_4,
    (q_5 & 13107) + ((q_5 >> 2) & 13107) AS q_5,
    (q_6 & 13107) + ((q_6 >> 2) & 13107) AS q_6,
    (q_7 & 13107) + ((q_7 >> 2) & 13107) AS q_7,
    (q_8 & 13107) + ((q_8 >> 2) & 13107) AS q_8,
    (q_9 & 13107) + ((q_9 >> 2) & 13107) AS q_9,
    (q_10 & 13107) + ((q_10 >> 2) & 13107) AS q_10,
    (q_11 & 13107) + ((q_11 >> 2) & 13107) AS q_11,
    (q_12 & 13107) + ((q_12 >> 2) & 13107) AS q_12,
    (q_13 & 13107) + ((q_13 >> 2) & 13107) AS q_13,
    (q_14 & 13107) + ((q_14 >> 2) & 13107) AS q_14,
    (q_15 & 13107) + ((q_15 >> 2) & 13107) AS q_15
  FROM twos
),
eights AS (
  SELECT a_0, a_1, a_2, a_3, b_0, b_1, b_2, b_3,
    ((q_0 + (q_0 >> 4)) & 3855) AS q_0,
    ((q_1 + (q_1 >> 4)) & 3855) AS q_1,
    ((q_2 + (q_2 >> 4)) & 3855) AS q_2,
    ((q_3 + (q_3 >> 4)) & 3855) AS q_3,
    ((q_4 + (q_4 >> 4)) & 3855) AS q_4,
    ((q_5 + (q_5 >> 4)) & 3855) AS q_5,
    ((q_6 + (q_6 >> 4)) & 3855) AS q_6,
    ((q_7 + (q_7 >> 4)) & 3855) AS q_7,
    ((q_8 + (q_8 >> 4)) & 3855) AS q_8,
    ((q_9 + (q_9 >> 4)) & 3855) AS q_9,
    ((q_10 + (q_10 >> 4)) & 3855) AS q_10,
    ((q_11 + (q_11 >> 4)) & 3855) AS q_11,
    ((q_12 + (q_12 >> 4)) & 3855) AS q_12,
    ((q_13 + (q_13 >> 4)) & 3855) AS q_13,
    ((q_14 + (q_14 >> 4)) & 3855) AS q_14,
    ((q_15 + (q_15 >> 4)) & 3855) AS q_15
  FROM fours
),
measured AS (
  SELECT a_0, a_1, a_2, a_3, b_0, b_1, b_2, b_3,
    (q_0 & 255) + (q_0 >> 8)
    + (q_1 & 255) + (q_1 >> 8)
    + (q_2 & 255) + (q_2 >> 8)
    + (q_3 & 255) + (q_3 >> 8)
    + (q_4 & 255) + (q_4 >> 8)
    + (q_5 & 255) + (q_5 >> 8)
    + (q_6 & 255) + (q_6 >> 8)
    + (q_7 & 255) + (q_7 >> 8)
    + (q_8 & 255) + (q_8 >> 8)
    + (q_9 & 255) + (q_9 >> 8)
    + (q_10 & 255) + (q_10 >> 8)
    + (q_11 & 255) + (q_11 >> 8)
    + (q_12 & 255) + (q_12 >> 8)
    + (q_13 & 255) + (q_13 >> 8)
    + (q_14 & 255) + (q_14 >> 8)
    + (q_15 & 255) + (q_15 >> 8) AS distance_bits
  FROM eights
),
near AS (
  SELECT DISTINCT a_0, a_1, a_2, a_3, b_0, b_1, b_2, b_3, distance_bits FROM measured WHERE distance_bits <= 24
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
