-- What is kept serves all who see the same of a study: their roles name them, or a person who wrote down what few may see.
DELETE FROM kept_answer;
ALTER TABLE kept_answer
    DROP COLUMN person_id,
    ADD COLUMN sight text NOT NULL,
    ADD CONSTRAINT length_of_sight CHECK (char_length(sight) <= 500),
    ADD COLUMN seconds real NOT NULL DEFAULT 0,
    ADD PRIMARY KEY (study_id, sight, digest);
-- Who wrote down something of somebody: asked for each page of whoever is not shown to all.
CREATE INDEX use_report_writer ON use_report (study_id, recorded_by, informant_id);
