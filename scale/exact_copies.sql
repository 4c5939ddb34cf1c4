-- Images whose files are the same, byte for byte: one row for each image of such a group.
-- In: images (path, split, class, digest). Out: exact_copies (copy_group, path, split, class).
CREATE TABLE exact_copies AS
SELECT groups.copy_group, images.path, images.split, images.class
FROM images
JOIN (
  SELECT digest, min(path) AS copy_group
  FROM images
  GROUP BY digest
  HAVING count(*) > 1
) AS groups ON groups.digest = images.digest;
