-- What was computed of a study for everybody alike, as long as nothing was written there and the day is the same: counts, values and
-- drawn resamples by taxon and category. It names no holder beyond what a tally of the study holds, and goes with every erasing.
CREATE UNLOGGED TABLE kept_result (
    study_id bigint NOT NULL REFERENCES study (id),
    digest text NOT NULL,
    revision bigint NOT NULL,
    day date NOT NULL,
    kept_at timestamptz NOT NULL DEFAULT now(),
    body bytea NOT NULL,
    PRIMARY KEY (study_id, digest)
);
ALTER TABLE kept_result ALTER COLUMN body SET STORAGE EXTERNAL; -- what is kept is packed already
-- A computation that takes longer than a request may: begun by somebody, done beside the requests, left and come back to.
CREATE UNLOGGED TABLE computation (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    digest text NOT NULL,
    revision bigint NOT NULL,
    state text NOT NULL DEFAULT 'working'
        CONSTRAINT computation_state_known CHECK (state IN ('working', 'done', 'cancelled', 'failed')),
    done integer NOT NULL DEFAULT 0,
    total integer NOT NULL DEFAULT 0,
    told text NOT NULL DEFAULT '',
    begun_at timestamptz NOT NULL DEFAULT now(),
    beat_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX computation_once ON computation (study_id, digest, revision) WHERE state = 'working';
