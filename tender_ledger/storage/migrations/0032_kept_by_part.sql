-- An answer that holds something for each plant, informant or encounter stays when a report is written, and is renewed for those
-- that the report is of. Ordered numbers are kept packed, and nothing is compressed: it took longer than asking anew.
ALTER TABLE kept_answer ADD COLUMN by_part boolean NOT NULL DEFAULT false,
    DROP COLUMN ids,
    ADD COLUMN ids bytea;
ALTER TABLE kept_answer ALTER COLUMN ids SET STORAGE EXTERNAL,
    ALTER COLUMN body SET STORAGE EXTERNAL;
