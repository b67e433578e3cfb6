-- What stays of an erased holder: when, by whom, how many records. The number points at nothing any more; by it the erasure is done
-- again in a database that was restored from a time before.
CREATE TABLE erasure (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    holder_id bigint NOT NULL,
    person_id bigint NOT NULL REFERENCES person (id),
    at timestamptz NOT NULL DEFAULT now(),
    records integer NOT NULL,
    UNIQUE (study_id, id),
    UNIQUE (study_id, holder_id)
);
-- Which database this is, in every copy of it: numbers of another database mean other people.
CREATE TABLE installation (
    id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    only_one boolean NOT NULL DEFAULT true UNIQUE CHECK (only_one)
);
INSERT INTO installation DEFAULT VALUES;
