-- Images of each class in each split, and how many different files these are. The two counts are made apart: engines need
-- much memory for more than one count of distinct values in a group.
-- In: images. Out: balance (split, class, images, different_files).
CREATE TABLE balance AS
SELECT counted.split, counted.class, counted.images, different.different_files
FROM (
  SELECT split, class, count(*) AS images FROM images GROUP BY split, class
) AS counted
JOIN (
  SELECT split, class, count(*) AS different_files
  FROM (SELECT DISTINCT split, class, digest FROM images) AS files
  GROUP BY split, class
) AS different
  ON coalesce(different.split, '') = coalesce(counted.split, '')
  AND coalesce(different.class, '') = coalesce(counted.class, '');
