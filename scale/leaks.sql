-- Images of each split that have a copy (exact) or a near fingerprint (near) in each other split.
-- In: exact_copies, near_groups. Out: leaks (kind, split, other_split, images).
CREATE TABLE leaks AS
SELECT kind, split, other_split, count(*) AS images
FROM (
  SELECT DISTINCT 'exact' AS kind, here.path, here.split, there.split AS other_split
  FROM exact_copies AS here
  JOIN (SELECT DISTINCT copy_group, split FROM exact_copies) AS there
    ON there.copy_group = here.copy_group AND there.split <> here.split
  UNION ALL
  SELECT DISTINCT 'near' AS kind, here.path, here.split, there.split AS other_split
  FROM near_groups AS here
  JOIN (SELECT DISTINCT near_group, split FROM near_groups) AS there
    ON there.near_group = here.near_group AND there.split <> here.split
) AS leaking
GROUP BY kind, split, other_split;
