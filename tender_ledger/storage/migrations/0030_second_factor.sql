-- A second factor of signing in: the secret of a code generator, sealed, and codes to recover with. A study can ask its owners for one.
CREATE TABLE second_factor (
    person_id bigint PRIMARY KEY REFERENCES person (id),
    nonce bytea NOT NULL CHECK (length(nonce) = 12),
    sealed bytea NOT NULL,
    confirmed_at timestamptz,
    last_step bigint NOT NULL DEFAULT 0  -- of the code taken last: no code is taken twice
);
CREATE TABLE recovery_code (
    person_id bigint NOT NULL REFERENCES second_factor (person_id) ON DELETE CASCADE,
    code_sha256 bytea NOT NULL CHECK (length(code_sha256) = 32),
    used_at timestamptz,
    PRIMARY KEY (person_id, code_sha256)
);
CREATE TABLE sign_in_rule (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    owners_need_second_factor boolean NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX sign_in_rule_once ON sign_in_rule (study_id) WHERE removed_at IS NULL;
