-- A way of speaking a language; local names and communities can say which.
CREATE TABLE dialect (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    language_id bigint NOT NULL,
    name phrase NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    FOREIGN KEY (study_id, language_id) REFERENCES language (study_id, id)
);
CREATE UNIQUE INDEX dialect_name_taken ON dialect (language_id, name) WHERE removed_at IS NULL;

CREATE TABLE community_dialect (
    study_id bigint NOT NULL,
    community_id bigint NOT NULL,
    dialect_id bigint NOT NULL,
    PRIMARY KEY (community_id, dialect_id),
    FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id),
    FOREIGN KEY (study_id, dialect_id) REFERENCES dialect (study_id, id)
);
ALTER TABLE community
    ADD COLUMN parent_id bigint CONSTRAINT community_parent_other CHECK (parent_id <> id),
    ADD COLUMN protocol text NOT NULL DEFAULT '' CHECK (protocol IS NFC NORMALIZED),
    ADD CONSTRAINT community_study_id_parent_id_fkey FOREIGN KEY (study_id, parent_id) REFERENCES community (study_id, id);
UPDATE change SET before = before || '{"parent_id": null, "protocol": "", "dialects": []}',
                  after = after || '{"parent_id": null, "protocol": "", "dialects": []}' WHERE entity = 'community';

-- What allows the study to work: an ethics approval, a research permit, an agreement on access and benefits.
CREATE TABLE permit (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    kind text NOT NULL CONSTRAINT permit_kind_known CHECK (kind IN ('ethics', 'research', 'access_and_benefit')),
    given_by phrase NOT NULL,
    reference text NOT NULL DEFAULT '' CHECK (reference IS NFC NORMALIZED),
    granted_on date NOT NULL,
    expires_on date,
    conditions text NOT NULL DEFAULT '' CHECK (conditions IS NFC NORMALIZED),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT permit_expires_after CHECK (expires_on >= granted_on)
);

-- How the study came to its holders, once for all of them.
CREATE TABLE choice_of_holders (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    way text NOT NULL CONSTRAINT choice_of_holders_way_known CHECK (way IN ('random', 'snowball', 'purposive', 'all', 'mixed')),
    words text NOT NULL DEFAULT '' CHECK (words IS NFC NORMALIZED),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX choice_of_holders_once ON choice_of_holders (study_id) WHERE removed_at IS NULL;
