-- One step of label propagation: each takes the least label of its neighbours, and then that label's own one, so that the
-- distance a label travels doubles with every step. Repeat until components_changed.sql counts nothing.
-- In: links, labels. Out: next_labels, which replaces labels.
CREATE TABLE next_labels AS
WITH spread AS (
  SELECT fingerprint_id, min(label) AS label
  FROM (
    SELECT fingerprint_id, label FROM labels
    UNION ALL
    SELECT links.to_id AS fingerprint_id, labels.label
    FROM links
    JOIN labels ON labels.fingerprint_id = links.from_id
  ) AS reached
  GROUP BY fingerprint_id
)
SELECT
  spread.fingerprint_id,
  CASE WHEN further.label < spread.label THEN further.label ELSE spread.label END AS label
FROM spread
LEFT JOIN spread AS further ON further.fingerprint_id = spread.label;
