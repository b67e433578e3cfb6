-- What was computed for one viewer of a study, as long as nothing was written there and the day is the same: the order of a view of the
-- table of reports, and what waits. It holds numbers of records and counts, and nothing that anybody said.
CREATE UNLOGGED TABLE kept_answer (
    study_id bigint NOT NULL REFERENCES study (id),
    person_id bigint NOT NULL REFERENCES person (id),
    digest text NOT NULL,
    revision bigint NOT NULL,
    day date NOT NULL,
    ids bigint[],
    body jsonb,
    PRIMARY KEY (study_id, person_id, digest)
);
CREATE INDEX use_report_told ON use_report USING gin (words gin_trgm_ops, note gin_trgm_ops, caution gin_trgm_ops);
