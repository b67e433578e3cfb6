-- What was said of a sheet that was brought, and what of it serves the next sheet of the study: heads and codes, no row.
ALTER TABLE import_upload
    ADD COLUMN matching jsonb NOT NULL DEFAULT '{}',
    DROP CONSTRAINT import_upload_state_known,
    ADD CONSTRAINT import_upload_state_known
        CHECK (state IN ('reading', 'matching', 'read', 'importing', 'imported', 'refused'));
CREATE TABLE sheet_matching (
    study_id bigint PRIMARY KEY REFERENCES study,
    heads jsonb NOT NULL,
    answers jsonb NOT NULL,
    day_first boolean
);
