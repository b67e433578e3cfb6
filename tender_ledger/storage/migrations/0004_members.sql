-- A person's role in a study is a record like any other: given and taken in acts that can be undone.
ALTER TABLE membership DROP CONSTRAINT membership_pkey,
    ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    ADD COLUMN version integer NOT NULL DEFAULT 1,
    ADD COLUMN removed_at timestamptz,
    ADD UNIQUE (study_id, id);
CREATE UNIQUE INDEX membership_once ON membership (study_id, person_id, role) WHERE removed_at IS NULL;

-- Somebody must be able to let others in. The study's row is taken, so that two owners cannot put each other out at once.
CREATE FUNCTION study_keeps_an_owner() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM FROM study WHERE id = OLD.study_id FOR UPDATE;
    IF NOT EXISTS (SELECT FROM membership WHERE study_id = OLD.study_id AND role = 'owner' AND removed_at IS NULL) THEN
        RAISE EXCEPTION USING ERRCODE = 'check_violation', CONSTRAINT = 'membership_owner_stays',
            MESSAGE = 'a study would be left without an owner';
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER membership_owner_stays AFTER UPDATE OR DELETE ON membership FOR EACH ROW WHEN (OLD.role = 'owner')
    EXECUTE FUNCTION study_keeps_an_owner();

-- An invitation is a link that was shown once; only the digest of its token is kept.
CREATE TABLE invitation (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    token_sha256 bytea NOT NULL UNIQUE CHECK (length(token_sha256) = 32),
    role text NOT NULL CONSTRAINT invitation_role_known CHECK (role IN ('owner', 'recorder', 'reviewer', 'reader')),
    meant_for text NOT NULL DEFAULT '' CHECK (meant_for IS NFC NORMALIZED),
    invited_by bigint NOT NULL REFERENCES person (id),
    invited_at timestamptz NOT NULL DEFAULT now(),
    expires_at timestamptz NOT NULL,
    taken_by bigint REFERENCES person (id),
    taken_at timestamptz,
    revoked_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT invitation_taken_whole CHECK ((taken_by IS NULL) = (taken_at IS NULL)),
    CONSTRAINT invitation_one_end CHECK (taken_at IS NULL OR revoked_at IS NULL)
);
