-- Fingerprints cut into 13 bands. Two fingerprints that differ in at most 24 of their 256 bits differ in at most one bit of
-- some band, so near pairs are found exactly among those whose bands are equal or one bit apart (multi-index hashing:
-- Norouzi, Punjani and Fleet, 2012).
-- In: images (path, fingerprint_0 .. fingerprint_3). Out: fingerprints (fingerprint_id, word_0 .. word_3), each different
-- one once, under the least path that has it; bands (band, bits, band_key, word_0 .. word_3).
--
-- Every shift stands in parentheses, because engines disagree on its precedence, and nothing is shifted to the left,
-- because that overflows under ANSI rules.
CREATE TABLE fingerprints AS
SELECT
  min(path) AS fingerprint_id,
  fingerprint_0 AS word_0, fingerprint_1 AS word_1, fingerprint_2 AS word_2, fingerprint_3 AS word_3
FROM images
WHERE fingerprint_0 IS NOT NULL
GROUP BY fingerprint_0, fingerprint_1, fingerprint_2, fingerprint_3;

CREATE TABLE bands AS
  SELECT 0 AS band, 19 AS bits, (word_0 & 524287) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 1 AS band, 20 AS bits, ((word_0 >> 19) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 2 AS band, 20 AS bits, ((word_0 >> 39) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 3 AS band, 19 AS bits, (((word_0 >> 59) & 31) + 32 * (word_1 & 16383)) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 4 AS band, 20 AS bits, ((word_1 >> 14) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 5 AS band, 20 AS bits, ((word_1 >> 34) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 6 AS band, 19 AS bits, (((word_1 >> 54) & 1023) + 1024 * (word_2 & 511)) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 7 AS band, 20 AS bits, ((word_2 >> 9) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 8 AS band, 20 AS bits, ((word_2 >> 29) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 9 AS band, 19 AS bits, (((word_2 >> 49) & 32767) + 32768 * (word_3 & 15)) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 10 AS band, 20 AS bits, ((word_3 >> 4) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 11 AS band, 20 AS bits, ((word_3 >> 24) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints
  UNION ALL
  SELECT 12 AS band, 20 AS bits, ((word_3 >> 44) & 1048575) AS band_key, word_0, word_1, word_2, word_3 FROM fingerprints;
