-- Reports hold everything that a row of the open use-report table holds, and imports are known again.

-- An act is written before its changes and gets its revision with the last statement, so that a long one holds up nobody.
ALTER TABLE act ALTER COLUMN revision DROP NOT NULL;
ALTER TABLE act ADD COLUMN records integer NOT NULL DEFAULT 0;
UPDATE act SET records = (SELECT count(*) FROM change c WHERE c.act_id = act.id);
CREATE FUNCTION act_has_revision() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS (SELECT FROM act WHERE id = NEW.id AND revision IS NULL) THEN
        RAISE EXCEPTION USING ERRCODE = 'not_null_violation', MESSAGE = 'an act ended without a revision';
    END IF;
    RETURN NULL;
END $$;
CREATE CONSTRAINT TRIGGER act_revision_given AFTER INSERT ON act DEFERRABLE INITIALLY DEFERRED
    FOR EACH ROW EXECUTE FUNCTION act_has_revision();

-- A study's own vocabulary terms are records like any other: made in an act, taken back by its undo.
ALTER TABLE vocabulary_term ADD COLUMN version integer NOT NULL DEFAULT 1, ADD COLUMN removed_at timestamptz;
ALTER TABLE vocabulary_term DROP CONSTRAINT vocabulary_term_code_taken;
CREATE UNIQUE INDEX vocabulary_term_code_taken ON vocabulary_term (study_id, vocabulary, scheme, parent_id, code)
    NULLS NOT DISTINCT WHERE removed_at IS NULL;

-- What a table may leave open: the day and the place of an encounter, on what a determination rests. `came_as` is how the
-- imported table called the encounter or plant, so that its later rows find it.
ALTER TABLE encounter ALTER COLUMN day_from DROP NOT NULL, ALTER COLUMN day_to DROP NOT NULL,
    ALTER COLUMN community_id DROP NOT NULL,
    ADD COLUMN came_as text NOT NULL DEFAULT '' CHECK (came_as IS NFC NORMALIZED),
    ADD CONSTRAINT encounter_days_whole CHECK ((day_from IS NULL) = (day_to IS NULL));
CREATE UNIQUE INDEX encounter_came_once ON encounter (study_id, came_as) WHERE came_as <> '' AND removed_at IS NULL;
ALTER TABLE plant ADD COLUMN came_as text NOT NULL DEFAULT '' CHECK (came_as IS NFC NORMALIZED);
CREATE INDEX plant_came ON plant (study_id, came_as) WHERE came_as <> '';
ALTER TABLE determination DROP CONSTRAINT determination_basis_known, DROP CONSTRAINT determination_confidence_known,
    ADD CONSTRAINT determination_basis_known
        CHECK (basis IN ('specimen', 'living_plant', 'photo', 'description', 'unstated')),
    ADD CONSTRAINT determination_confidence_known CHECK (confidence IN ('sure', 'likely', 'doubtful', 'unstated'));

ALTER TABLE source DROP CONSTRAINT source_kind_known, ADD CONSTRAINT source_kind_known
    CHECK (kind IN ('book', 'article', 'herbarium_label', 'archive_recording', 'manuscript', 'unstated'));
ALTER TABLE taxon ALTER COLUMN family TYPE text, ALTER COLUMN family SET DEFAULT '',
    ADD CONSTRAINT taxon_family_normal CHECK (family IS NFC NORMALIZED);

-- A report can be given in several ways, and carries what the table carries beside.
CREATE TABLE report_application (
    study_id bigint NOT NULL,
    report_id bigint NOT NULL,
    component smallint NOT NULL DEFAULT 1,
    application_id bigint NOT NULL REFERENCES vocabulary_term (id),
    position smallint NOT NULL DEFAULT 1,
    PRIMARY KEY (report_id, component, application_id),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id)
);
INSERT INTO report_application (study_id, report_id, application_id)
    SELECT study_id, id, application_id FROM use_report WHERE application_id IS NOT NULL;
ALTER TABLE use_report DROP COLUMN application_id,
    ALTER COLUMN start_s TYPE double precision,
    ADD COLUMN end_s double precision,
    ADD COLUMN currency text NOT NULL DEFAULT 'unstated'
        CONSTRAINT use_report_currency_known CHECK (currency IN ('current', 'former', 'remembered', 'unstated')),
    ADD COLUMN attributed_to text NOT NULL DEFAULT '' CHECK (attributed_to IS NFC NORMALIZED),
    ADD COLUMN mixture text NOT NULL DEFAULT '' CHECK (mixture IS NFC NORMALIZED),
    ADD COLUMN role text NOT NULL DEFAULT 'main'
        CONSTRAINT use_report_role_known CHECK (role IN ('main', 'companion', 'carrier', 'corrective')),
    ADD COLUMN extra jsonb NOT NULL DEFAULT '{}',
    ADD CONSTRAINT use_report_passage_order CHECK (end_s >= start_s);

-- A record that an import brings was asked for by nobody's screen, so its key means nothing but must be its own.
ALTER TABLE use_report ALTER COLUMN client_key SET DEFAULT gen_random_uuid();
ALTER TABLE asking ALTER COLUMN client_key SET DEFAULT gen_random_uuid();

-- The study of a report is held by its plant and its teller already, each of which is known by its study.
ALTER TABLE use_report DROP CONSTRAINT use_report_study_id_fkey;

CREATE INDEX use_report_with_currency ON use_report (study_id) WHERE currency <> 'unstated';
CREATE INDEX use_report_in_mixture ON use_report (study_id) WHERE mixture <> '' OR role <> 'main';

ALTER TABLE asking ADD COLUMN extra jsonb NOT NULL DEFAULT '{}';

-- The history keeps its states in the form the records have now, or no act from before could be undone.
UPDATE change SET
    before = before - 'application_id' || jsonb_build_object('end_s', NULL, 'currency', 'unstated', 'attributed_to', '',
        'mixture', '', 'role', 'main', 'extra', '{}'::jsonb, 'applications', CASE WHEN before ->> 'application_id' IS NULL
        THEN '[]' ELSE jsonb_build_array(jsonb_build_object('component', 1, 'application_id', before -> 'application_id',
        'position', 1)) END),
    after = after - 'application_id' || jsonb_build_object('end_s', NULL, 'currency', 'unstated', 'attributed_to', '',
        'mixture', '', 'role', 'main', 'extra', '{}'::jsonb, 'applications', CASE WHEN after ->> 'application_id' IS NULL
        THEN '[]' ELSE jsonb_build_array(jsonb_build_object('component', 1, 'application_id', after -> 'application_id',
        'position', 1)) END)
    WHERE entity = 'use_report';
UPDATE change SET before = before || '{"extra": {}}', after = after || '{"extra": {}}' WHERE entity = 'asking';
UPDATE change SET before = before || '{"came_as": ""}', after = after || '{"came_as": ""}'
    WHERE entity IN ('encounter', 'plant');

-- Imports ------------------------------------------------------------------------------------------------------------
CREATE TABLE import_batch (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    recorded_by bigint NOT NULL REFERENCES person (id),
    file_sha256 text NOT NULL CHECK (file_sha256 ~ '^[0-9a-f]{64}$'),
    terms jsonb NOT NULL,
    rows integer NOT NULL,
    failed integer NOT NULL,
    imported_at timestamptz NOT NULL DEFAULT now(),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
-- The rows that landed. A row is known by its content and by being the how-manieth of its equals in its file; a mended one
-- also by the file and line it failed on.
CREATE TABLE import_row (
    study_id bigint NOT NULL,
    batch_id bigint NOT NULL,
    line integer NOT NULL,
    row_key bytea NOT NULL CHECK (length(row_key) = 32),
    mended_key bytea CHECK (length(mended_key) = 32),
    report_id bigint,
    asking_id bigint,
    PRIMARY KEY (study_id, row_key),
    CONSTRAINT import_row_one_record CHECK (num_nonnulls(report_id, asking_id) = 1),
    FOREIGN KEY (study_id, batch_id) REFERENCES import_batch (study_id, id),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id),
    FOREIGN KEY (study_id, asking_id) REFERENCES asking (study_id, id)
);
CREATE UNIQUE INDEX import_row_mended_once ON import_row (study_id, mended_key) WHERE mended_key IS NOT NULL;
CREATE INDEX import_row_batch ON import_row (batch_id);
-- A table brought to the screen: looked at, then imported or let go; like a draft it is its bringer's alone.
CREATE TABLE import_upload (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    person_id bigint NOT NULL REFERENCES person (id),
    brought_at timestamptz NOT NULL DEFAULT now(),
    reports bytea NOT NULL,
    informants bytea,
    terms jsonb NOT NULL,
    new_codes boolean NOT NULL,
    state text NOT NULL DEFAULT 'reading' CONSTRAINT import_upload_state_known
        CHECK (state IN ('reading', 'read', 'importing', 'imported', 'refused')),
    done integer NOT NULL DEFAULT 0,
    total integer NOT NULL DEFAULT 0,
    beat_at timestamptz NOT NULL DEFAULT now(),
    outcome jsonb NOT NULL DEFAULT '{}',
    failing bytea,
    UNIQUE (study_id, id)
);
CREATE INDEX import_upload_of ON import_upload (study_id, person_id);
