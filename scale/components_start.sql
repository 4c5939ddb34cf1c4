-- Labels of connected components, to begin with: every fingerprint that is near another one is its own label.
-- In: near_pairs. Out: links (from_id, to_id) in both directions, labels (fingerprint_id, label).
CREATE TABLE links AS
SELECT a AS from_id, b AS to_id FROM near_pairs
UNION ALL
SELECT b AS from_id, a AS to_id FROM near_pairs;

CREATE TABLE labels AS
SELECT DISTINCT from_id AS fingerprint_id, from_id AS label FROM links;
