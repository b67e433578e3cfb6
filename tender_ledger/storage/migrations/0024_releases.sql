-- How many holders must stand behind a number before it leaves the study, or is split before readers.
CREATE TABLE publishing_rule (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    minimum_holders integer NOT NULL CONSTRAINT publishing_rule_range CHECK (minimum_holders BETWEEN 3 AND 50),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX publishing_rule_once ON publishing_rule (study_id) WHERE removed_at IS NULL;

-- What left the study, so that a later file does not tell, beside an earlier one, of few. No page shows it.
CREATE TABLE release (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    at timestamptz NOT NULL DEFAULT now(),
    day date NOT NULL,
    revision bigint NOT NULL,
    person_id bigint NOT NULL REFERENCES person (id),
    state text NOT NULL, -- what was chosen from: cells, who lets rows leave, the minimum
    digest text NOT NULL CONSTRAINT release_digest_form CHECK (digest ~ '^[0-9a-f]{64}$'),
    UNIQUE (study_id, id),
    CONSTRAINT release_once UNIQUE (study_id, digest)
);
-- Every cell that there was, shown or not, with what each holder contributed; of holders who were erased since only how many.
CREATE TABLE release_cell (
    study_id bigint NOT NULL,
    release_id bigint NOT NULL,
    cell text NOT NULL,
    shown boolean NOT NULL,
    holders bigint[] NOT NULL,
    amounts double precision[] NOT NULL,
    erased integer NOT NULL DEFAULT 0,
    PRIMARY KEY (release_id, cell),
    FOREIGN KEY (study_id, release_id) REFERENCES release (study_id, id) ON DELETE CASCADE,
    CONSTRAINT release_cell_paired CHECK (cardinality(holders) = cardinality(amounts))
);
