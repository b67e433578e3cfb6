-- The species of a flora by family, which over- and under-use is computed against.
CREATE TABLE flora (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    name phrase NOT NULL,
    cited text NOT NULL DEFAULT '' CHECK (cited IS NFC NORMALIZED),
    families text NOT NULL CHECK (families IS NFC NORMALIZED), -- a line each: family, comma, number of species
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX flora_name_taken ON flora (study_id, name) WHERE removed_at IS NULL;

-- Questions that several holders answer alike or not, and the answers of each.
CREATE TABLE questionnaire (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    title phrase NOT NULL,
    alternatives integer NOT NULL CONSTRAINT questionnaire_alternatives CHECK (alternatives BETWEEN 2 AND 50),
    questions text NOT NULL CHECK (questions IS NFC NORMALIZED), -- a line each
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX questionnaire_title_taken ON questionnaire (study_id, title) WHERE removed_at IS NULL;
CREATE TABLE questionnaire_answer (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    questionnaire_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    answers text NOT NULL CHECK (answers IS NFC NORMALIZED), -- a line each, an empty one where none was given
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    FOREIGN KEY (study_id, questionnaire_id) REFERENCES questionnaire (study_id, id),
    FOREIGN KEY (study_id, informant_id) REFERENCES informant (study_id, id)
);
CREATE UNIQUE INDEX questionnaire_answer_once ON questionnaire_answer (questionnaire_id, informant_id) WHERE removed_at IS NULL;

-- What a reviewer judges of the use of a taxon: managed, preferred, frequent, each 2 or 1.
CREATE TABLE use_score (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    taxon phrase NOT NULL,
    category_id bigint NOT NULL REFERENCES vocabulary_term (id),
    management integer NOT NULL,
    preference integer NOT NULL,
    frequency integer NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT use_score_scale CHECK (management IN (1, 2) AND preference IN (1, 2) AND frequency IN (1, 2))
);
CREATE UNIQUE INDEX use_score_once ON use_score (study_id, taxon, category_id) WHERE removed_at IS NULL;

-- A reckoning as it stood: what was counted by, when, by what, and the values. `informants` and `reports` are what it counted, so
-- that its values open only while the terms of all of them allow it; erasing one of them takes the values away.
CREATE TABLE frozen_reckoning (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    name phrase NOT NULL,
    frozen_on date NOT NULL,
    revision bigint NOT NULL,
    rules jsonb NOT NULL,
    seed integer NOT NULL,
    replicates integer NOT NULL,
    software text NOT NULL,
    counted integer NOT NULL,
    fingerprint text NOT NULL CONSTRAINT frozen_reckoning_fingerprint CHECK (fingerprint ~ '^[0-9a-f]{16}$'),
    informants bigint[] NOT NULL,
    reports bigint[] NOT NULL,
    body jsonb,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX frozen_reckoning_name_taken ON frozen_reckoning (study_id, name) WHERE removed_at IS NULL;
