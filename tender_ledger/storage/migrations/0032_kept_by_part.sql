-- An answer that holds something for each plant, informant or encounter stays when a report is written, and is renewed for those
-- that the report is of.
ALTER TABLE kept_answer ADD COLUMN by_part boolean NOT NULL DEFAULT false;
