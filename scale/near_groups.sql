-- Groups of images that are connected by near fingerprints: one row for each image of a group.
-- In: images, fingerprints, labels. Out: near_groups (near_group, path, split, class).
CREATE TABLE near_groups AS
WITH placed AS (
  SELECT
    images.path, images.split, images.class,
    coalesce(labels.label, fingerprints.fingerprint_id) AS near_group
  FROM images
  JOIN fingerprints
    ON fingerprints.word_0 = images.fingerprint_0
    AND fingerprints.word_1 = images.fingerprint_1
    AND fingerprints.word_2 = images.fingerprint_2
    AND fingerprints.word_3 = images.fingerprint_3
  LEFT JOIN labels ON labels.fingerprint_id = fingerprints.fingerprint_id
)
SELECT placed.near_group, placed.path, placed.split, placed.class
FROM placed
JOIN (
  SELECT near_group FROM placed GROUP BY near_group HAVING count(*) > 1
) AS groups ON groups.near_group = placed.near_group;
