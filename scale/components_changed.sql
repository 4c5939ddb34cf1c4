-- How many labels the last step changed.
SELECT count(*) AS changed
FROM next_labels
JOIN labels ON labels.fingerprint_id = next_labels.fingerprint_id
WHERE labels.label <> next_labels.label;
