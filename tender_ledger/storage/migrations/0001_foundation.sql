-- Every study record carries its study, and every reference between study records is (study_id, x_id), so that no row
-- can point into another study. Shipped vocabulary terms and taxa belong to no study and are referred to by id alone.

CREATE EXTENSION IF NOT EXISTS pg_trgm;
CREATE DOMAIN phrase AS text CHECK (VALUE IS NFC NORMALIZED AND VALUE = btrim(VALUE) AND VALUE <> '');
CREATE DOMAIN code AS text CHECK (VALUE ~ '^[A-Z][A-Z0-9-]{0,31}$');
CREATE DOMAIN slug AS text CHECK (VALUE ~ '^[a-z][a-z0-9_]*$');

-- People who work with the application ------------------------------------------------------------------------------
CREATE TABLE person (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    email phrase NOT NULL,
    email_fold phrase NOT NULL CONSTRAINT person_email_taken UNIQUE,
    name phrase NOT NULL,
    password_hash text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    disabled_at timestamptz
);
CREATE TABLE person_session (
    token_sha256 bytea PRIMARY KEY,
    person_id bigint NOT NULL REFERENCES person (id),
    browser text NOT NULL DEFAULT '',
    created_at timestamptz NOT NULL DEFAULT now(),
    seen_at timestamptz NOT NULL DEFAULT now(),
    ended_at timestamptz
);
CREATE INDEX person_session_of ON person_session (person_id);
CREATE TABLE attempt (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_digest bytea NOT NULL,
    address_digest bytea NOT NULL,
    at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX attempt_account ON attempt (account_digest, at);
CREATE INDEX attempt_address ON attempt (address_digest, at);

-- Studies -----------------------------------------------------------------------------------------------------------
CREATE TABLE study (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    code code NOT NULL CONSTRAINT study_code_taken UNIQUE,
    title phrase NOT NULL,
    question text NOT NULL DEFAULT '' CHECK (question IS NFC NORMALIZED),
    zone phrase NOT NULL,
    scheme slug NOT NULL DEFAULT 'economic_botany',
    invented boolean NOT NULL DEFAULT false,
    revision bigint NOT NULL DEFAULT 0,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz
);
CREATE TABLE membership (
    study_id bigint NOT NULL REFERENCES study (id),
    person_id bigint NOT NULL REFERENCES person (id),
    role text NOT NULL CONSTRAINT membership_role_known CHECK (role IN ('owner', 'recorder', 'reviewer', 'reader')),
    PRIMARY KEY (study_id, person_id, role)
);
CREATE TABLE counter (
    study_id bigint NOT NULL REFERENCES study (id),
    kind slug NOT NULL,
    last integer NOT NULL,
    PRIMARY KEY (study_id, kind)
);

-- Vocabularies: codes are stable, labels are translatable -----------------------------------------------------------
CREATE TABLE vocabulary_term (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint REFERENCES study (id),
    vocabulary slug NOT NULL,
    scheme slug,
    code slug NOT NULL,
    abbreviation text CHECK (abbreviation ~ '^[A-Z]{2}$'),
    parent_id bigint REFERENCES vocabulary_term (id),
    position integer NOT NULL,
    retired_at timestamptz,
    CONSTRAINT vocabulary_term_code_taken UNIQUE NULLS NOT DISTINCT (study_id, vocabulary, scheme, parent_id, code)
);
CREATE TABLE term_label (
    term_id bigint NOT NULL REFERENCES vocabulary_term (id),
    language text NOT NULL CHECK (language ~ '^[a-z]{2,3}$'),
    label phrase NOT NULL,
    PRIMARY KEY (term_id, language)
);

-- Communities and holders -------------------------------------------------------------------------------------------
CREATE TABLE language (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    code text NOT NULL CONSTRAINT language_code_form CHECK (code ~ '^[a-z]{3}$'),
    name phrase NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX language_code_taken ON language (study_id, code) WHERE removed_at IS NULL;
CREATE TABLE community (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    code code NOT NULL,
    name phrase NOT NULL,
    place text NOT NULL DEFAULT '' CHECK (place IS NFC NORMALIZED),
    latitude double precision CONSTRAINT community_latitude_range CHECK (latitude BETWEEN -90 AND 90),
    longitude double precision CONSTRAINT community_longitude_range CHECK (longitude BETWEEN -180 AND 180),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT community_position_whole CHECK ((latitude IS NULL) = (longitude IS NULL))
);
CREATE UNIQUE INDEX community_code_taken ON community (study_id, code) WHERE removed_at IS NULL;
CREATE TABLE community_language (
    study_id bigint NOT NULL,
    community_id bigint NOT NULL,
    language_id bigint NOT NULL,
    PRIMARY KEY (community_id, language_id),
    FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id),
    FOREIGN KEY (study_id, language_id) REFERENCES language (study_id, id)
);
CREATE TABLE holder (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    code code NOT NULL,
    community_id bigint NOT NULL,
    gender text NOT NULL DEFAULT 'unstated'
        CONSTRAINT holder_gender_known CHECK (gender IN ('woman', 'man', 'other', 'unstated')),
    birth_year integer CONSTRAINT holder_birth_year_range CHECK (birth_year BETWEEN 1850 AND 2100),
    birth_decade integer CONSTRAINT holder_birth_decade_form CHECK (birth_decade BETWEEN 1850 AND 2100 AND mod(birth_decade, 10) = 0),
    chosen text NOT NULL DEFAULT 'unstated'
        CONSTRAINT holder_chosen_known CHECK (chosen IN ('random', 'snowball', 'purposive', 'all', 'unstated')),
    recorded_by bigint NOT NULL REFERENCES person (id),
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT holder_client_key UNIQUE (study_id, client_key),
    CONSTRAINT holder_birth_once CHECK (num_nonnulls(birth_year, birth_decade) <= 1),
    FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id)
);
CREATE UNIQUE INDEX holder_code_taken ON holder (study_id, code) WHERE removed_at IS NULL;
CREATE TABLE holder_identity (
    holder_id bigint PRIMARY KEY,
    study_id bigint NOT NULL,
    ciphertext bytea NOT NULL,
    nonce bytea NOT NULL CHECK (length(nonce) = 12),
    key_id text NOT NULL,
    FOREIGN KEY (study_id, holder_id) REFERENCES holder (study_id, id)
);
CREATE TABLE disclosure (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL,
    person_id bigint NOT NULL REFERENCES person (id),
    holder_id bigint NOT NULL,
    at timestamptz NOT NULL DEFAULT now(),
    reason phrase NOT NULL,
    FOREIGN KEY (study_id, holder_id) REFERENCES holder (study_id, id)
);
CREATE TABLE source (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    code code NOT NULL,
    kind text NOT NULL CONSTRAINT source_kind_known
        CHECK (kind IN ('book', 'article', 'herbarium_label', 'archive_recording', 'manuscript')),
    csl jsonb NOT NULL,
    community_id bigint,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id)
);
CREATE UNIQUE INDEX source_code_taken ON source (study_id, code) WHERE removed_at IS NULL;
CREATE TABLE informant (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    holder_id bigint CONSTRAINT informant_holder UNIQUE,
    source_id bigint CONSTRAINT informant_source UNIQUE,
    UNIQUE (study_id, id),
    CONSTRAINT informant_one_kind CHECK (num_nonnulls(holder_id, source_id) = 1),
    FOREIGN KEY (study_id, holder_id) REFERENCES holder (study_id, id),
    FOREIGN KEY (study_id, source_id) REFERENCES source (study_id, id)
);
CREATE TABLE consent (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    holder_id bigint,
    community_id bigint,
    agreed_on date NOT NULL,
    form text NOT NULL CONSTRAINT consent_form_known
        CHECK (form IN ('written', 'oral', 'recorded', 'witnessed', 'stated_at_import')),
    may_record boolean NOT NULL,
    may_count boolean NOT NULL,
    may_show boolean NOT NULL,
    may_publish_aggregate boolean NOT NULL,
    may_publish_verbatim boolean NOT NULL,
    withdrawn_on date,
    withdrawal text CONSTRAINT consent_withdrawal_known CHECK (withdrawal IN ('seal')),
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT consent_client_key UNIQUE (study_id, client_key),
    CONSTRAINT consent_one_giver CHECK (num_nonnulls(holder_id, community_id) = 1),
    CONSTRAINT consent_withdrawal_whole CHECK ((withdrawn_on IS NULL) = (withdrawal IS NULL)),
    CONSTRAINT consent_withdrawn_after CHECK (withdrawn_on >= agreed_on),
    CONSTRAINT consent_record_first
        CHECK (may_record OR NOT (may_count OR may_show OR may_publish_aggregate OR may_publish_verbatim)),
    CONSTRAINT consent_show_before_quote CHECK (may_show OR NOT may_publish_verbatim),
    FOREIGN KEY (study_id, holder_id) REFERENCES holder (study_id, id),
    FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id)
);
CREATE INDEX consent_giver ON consent (study_id, holder_id, community_id, agreed_on);

-- Encounters --------------------------------------------------------------------------------------------------------
CREATE TABLE encounter (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    number integer NOT NULL,
    kind text NOT NULL CONSTRAINT encounter_kind_known
        CHECK (kind IN ('interview', 'walk', 'demonstration', 'group', 'reading')),
    title phrase NOT NULL,
    day_from date NOT NULL,
    day_to date NOT NULL,
    approximate boolean NOT NULL DEFAULT false,
    community_id bigint NOT NULL,
    language_id bigint,
    interpreter text NOT NULL DEFAULT '' CHECK (interpreter IS NFC NORMALIZED),
    recorded_by bigint NOT NULL REFERENCES person (id),
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT encounter_number_taken UNIQUE (study_id, number),
    CONSTRAINT encounter_client_key UNIQUE (study_id, client_key),
    CONSTRAINT encounter_days_order CHECK (day_from <= day_to),
    FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id),
    FOREIGN KEY (study_id, language_id) REFERENCES language (study_id, id)
);
CREATE TABLE encounter_informant (
    study_id bigint NOT NULL,
    encounter_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    part text NOT NULL DEFAULT 'teller' CONSTRAINT encounter_informant_part CHECK (part IN ('teller', 'present')),
    PRIMARY KEY (encounter_id, informant_id),
    UNIQUE (study_id, encounter_id, informant_id),
    FOREIGN KEY (study_id, encounter_id) REFERENCES encounter (study_id, id),
    FOREIGN KEY (study_id, informant_id) REFERENCES informant (study_id, id)
);
CREATE INDEX encounter_informant_of ON encounter_informant (informant_id);

-- Taxa, plants, names -----------------------------------------------------------------------------------------------
CREATE TABLE checklist (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint REFERENCES study (id),
    name phrase NOT NULL,
    version phrase NOT NULL,
    CONSTRAINT checklist_once UNIQUE NULLS NOT DISTINCT (study_id, name, version)
);
CREATE TABLE taxon (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    checklist_id bigint NOT NULL REFERENCES checklist (id),
    name phrase NOT NULL,
    authorship text NOT NULL DEFAULT '' CHECK (authorship IS NFC NORMALIZED),
    rank slug NOT NULL,
    genus phrase NOT NULL,
    family phrase NOT NULL,
    accepted_id bigint REFERENCES taxon (id),
    CONSTRAINT taxon_once UNIQUE (checklist_id, name, authorship),
    CONSTRAINT taxon_not_own_synonym CHECK (accepted_id <> id)
);
CREATE TABLE plant (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    number integer NOT NULL,
    growth_form text NOT NULL DEFAULT '' CHECK (growth_form IS NFC NORMALIZED),
    remarks text NOT NULL DEFAULT '' CHECK (remarks IS NFC NORMALIZED),
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT plant_number_taken UNIQUE (study_id, number),
    CONSTRAINT plant_client_key UNIQUE (study_id, client_key)
);
CREATE TABLE determination (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL,
    plant_id bigint NOT NULL,
    taxon_id bigint NOT NULL REFERENCES taxon (id),
    qualifier text NOT NULL DEFAULT 'none'
        CONSTRAINT determination_qualifier_known CHECK (qualifier IN ('none', 'cf', 'aff', 'sp', 'hybrid')),
    basis text NOT NULL CONSTRAINT determination_basis_known
        CHECK (basis IN ('specimen', 'living_plant', 'photo', 'description')),
    confidence text NOT NULL CONSTRAINT determination_confidence_known CHECK (confidence IN ('sure', 'likely', 'doubtful')),
    determiner phrase NOT NULL,
    determined_on date NOT NULL,
    remarks text NOT NULL DEFAULT '' CHECK (remarks IS NFC NORMALIZED),
    is_current boolean NOT NULL DEFAULT true,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id)
);
CREATE UNIQUE INDEX determination_one_current ON determination (plant_id) WHERE is_current AND removed_at IS NULL;
CREATE TABLE local_name (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    plant_id bigint NOT NULL,
    language_id bigint,
    name phrase NOT NULL,
    name_fold phrase NOT NULL,
    gloss text NOT NULL DEFAULT '' CHECK (gloss IS NFC NORMALIZED),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id),
    FOREIGN KEY (study_id, language_id) REFERENCES language (study_id, id)
);
CREATE UNIQUE INDEX local_name_once ON local_name (plant_id, language_id, name) NULLS NOT DISTINCT WHERE removed_at IS NULL;
CREATE INDEX local_name_fold_trigram ON local_name USING gin (name_fold gin_trgm_ops);
CREATE TABLE attestation (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL,
    local_name_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    encounter_id bigint NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    FOREIGN KEY (study_id, local_name_id) REFERENCES local_name (study_id, id),
    FOREIGN KEY (study_id, encounter_id, informant_id)
        REFERENCES encounter_informant (study_id, encounter_id, informant_id)
);
CREATE UNIQUE INDEX attestation_once ON attestation (local_name_id, informant_id, encounter_id) WHERE removed_at IS NULL;

-- Use reports -------------------------------------------------------------------------------------------------------
CREATE TABLE purpose (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    category_id bigint NOT NULL REFERENCES vocabulary_term (id),
    label phrase NOT NULL,
    label_fold phrase NOT NULL,
    UNIQUE (study_id, id),
    CONSTRAINT purpose_once UNIQUE (study_id, category_id, label_fold)
);
CREATE TABLE use_report (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    encounter_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    plant_id bigint NOT NULL,
    basis_id bigint NOT NULL REFERENCES vocabulary_term (id),
    stance_id bigint NOT NULL REFERENCES vocabulary_term (id),
    outcome_id bigint NOT NULL REFERENCES vocabulary_term (id),
    application_id bigint REFERENCES vocabulary_term (id),
    stage_id bigint REFERENCES vocabulary_term (id),
    words text NOT NULL DEFAULT '' CHECK (words IS NFC NORMALIZED),
    start_s integer CONSTRAINT use_report_start_positive CHECK (start_s >= 0),
    caution text NOT NULL DEFAULT '' CHECK (caution IS NFC NORMALIZED),
    note text NOT NULL DEFAULT '' CHECK (note IS NFC NORMALIZED),
    recorded_by bigint NOT NULL REFERENCES person (id),
    recorded_at timestamptz NOT NULL DEFAULT now(),
    client_key uuid NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT use_report_client_key UNIQUE (study_id, client_key),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id),
    CONSTRAINT use_report_teller_present FOREIGN KEY (study_id, encounter_id, informant_id)
        REFERENCES encounter_informant (study_id, encounter_id, informant_id)
);
CREATE INDEX use_report_encounter ON use_report (study_id, encounter_id, id);
CREATE INDEX use_report_plant ON use_report (study_id, plant_id);
CREATE INDEX use_report_informant ON use_report (study_id, informant_id);
CREATE TABLE report_coding (
    study_id bigint NOT NULL,
    report_id bigint NOT NULL,
    scheme slug NOT NULL,
    category_id bigint NOT NULL REFERENCES vocabulary_term (id),
    subcategory_id bigint REFERENCES vocabulary_term (id),
    purpose_id bigint,
    is_primary boolean NOT NULL DEFAULT true,
    PRIMARY KEY (report_id, scheme, category_id),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id),
    FOREIGN KEY (study_id, purpose_id) REFERENCES purpose (study_id, id)
);
CREATE UNIQUE INDEX report_coding_one_primary ON report_coding (report_id, scheme) WHERE is_primary;
CREATE TABLE report_part (
    study_id bigint NOT NULL,
    report_id bigint NOT NULL,
    component smallint NOT NULL DEFAULT 1,
    part_id bigint NOT NULL REFERENCES vocabulary_term (id),
    position smallint NOT NULL DEFAULT 1,
    PRIMARY KEY (report_id, component, part_id),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id)
);
CREATE TABLE report_method (
    study_id bigint NOT NULL,
    report_id bigint NOT NULL,
    component smallint NOT NULL DEFAULT 1,
    method_id bigint NOT NULL REFERENCES vocabulary_term (id),
    position smallint NOT NULL DEFAULT 1,
    PRIMARY KEY (report_id, component, method_id),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id)
);
CREATE TABLE asking (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL,
    encounter_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    plant_id bigint NOT NULL,
    recorded_by bigint NOT NULL REFERENCES person (id),
    client_key uuid NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT asking_client_key UNIQUE (study_id, client_key),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id),
    CONSTRAINT asking_teller_present FOREIGN KEY (study_id, encounter_id, informant_id)
        REFERENCES encounter_informant (study_id, encounter_id, informant_id)
);
CREATE UNIQUE INDEX asking_once ON asking (encounter_id, informant_id, plant_id) WHERE removed_at IS NULL;

-- Rules, drafts, history --------------------------------------------------------------------------------------------
CREATE TABLE rules (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    name phrase NOT NULL,
    body jsonb NOT NULL,
    in_force boolean NOT NULL DEFAULT true,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
CREATE UNIQUE INDEX rules_name_taken ON rules (study_id, name) WHERE removed_at IS NULL;
CREATE UNIQUE INDEX rules_one_in_force ON rules (study_id) WHERE in_force AND removed_at IS NULL;
CREATE TABLE draft (
    study_id bigint NOT NULL REFERENCES study (id),
    person_id bigint NOT NULL REFERENCES person (id),
    place text NOT NULL,
    body jsonb NOT NULL,
    updated_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (study_id, person_id, place)
);
CREATE TABLE act (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    person_id bigint NOT NULL REFERENCES person (id),
    at timestamptz NOT NULL DEFAULT now(),
    operation slug NOT NULL,
    revision bigint NOT NULL,
    undoes_act_id bigint CONSTRAINT act_undone_once UNIQUE,
    UNIQUE (study_id, id),
    UNIQUE (study_id, revision),
    FOREIGN KEY (study_id, undoes_act_id) REFERENCES act (study_id, id)
);
CREATE TABLE change (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL,
    act_id bigint NOT NULL,
    entity slug NOT NULL,
    record_id bigint NOT NULL,
    holder_id bigint,
    before jsonb,
    after jsonb,
    FOREIGN KEY (study_id, act_id) REFERENCES act (study_id, id)
);
CREATE INDEX change_act ON change (act_id);
CREATE INDEX change_record ON change (study_id, entity, record_id);
CREATE INDEX change_holder ON change (study_id, holder_id);

-- Terms of consent: one predicate for every read --------------------------------------------------------------------
-- Of one giver the latest agreement of the day stands; between holder and community the strictest wins. A holder with no
-- agreement may be recorded and nothing else; a source needs none. A removed holder or source is in no row.
CREATE FUNCTION informant_terms(p_study bigint, p_day date)
RETURNS TABLE (informant_id bigint, holder_id bigint, on_file boolean, sealed boolean, may_record boolean,
               may_count boolean, may_show boolean, may_publish_aggregate boolean, may_publish_verbatim boolean)
LANGUAGE sql STABLE AS $$
    WITH latest AS (
        SELECT DISTINCT ON (holder_id, community_id) *, coalesce(withdrawn_on <= p_day, false) AS withdrawn
        FROM consent
        WHERE study_id = p_study AND agreed_on <= p_day AND removed_at IS NULL
        ORDER BY holder_id, community_id, agreed_on DESC, id DESC
    )
    SELECT i.id, h.id, s.id IS NOT NULL OR own.id IS NOT NULL,
           coalesce(own.withdrawn, false) OR coalesce(theirs.withdrawn, false),
           s.id IS NOT NULL OR (coalesce(own.may_record AND NOT own.withdrawn, own.id IS NULL)
                                AND coalesce(theirs.may_record AND NOT theirs.withdrawn, true)),
           s.id IS NOT NULL OR (coalesce(own.may_count AND NOT own.withdrawn, false)
                                AND coalesce(theirs.may_count AND NOT theirs.withdrawn, true)),
           s.id IS NOT NULL OR (coalesce(own.may_show AND NOT own.withdrawn, false)
                                AND coalesce(theirs.may_show AND NOT theirs.withdrawn, true)),
           s.id IS NOT NULL OR (coalesce(own.may_publish_aggregate AND NOT own.withdrawn, false)
                                AND coalesce(theirs.may_publish_aggregate AND NOT theirs.withdrawn, true)),
           s.id IS NOT NULL OR (coalesce(own.may_publish_verbatim AND NOT own.withdrawn, false)
                                AND coalesce(theirs.may_publish_verbatim AND NOT theirs.withdrawn, true))
    FROM informant i
    LEFT JOIN holder h ON h.id = i.holder_id AND h.removed_at IS NULL
    LEFT JOIN source s ON s.id = i.source_id AND s.removed_at IS NULL
    LEFT JOIN latest own ON own.holder_id = h.id
    LEFT JOIN latest theirs ON theirs.community_id = h.community_id
    WHERE i.study_id = p_study AND (h.id IS NOT NULL OR s.id IS NOT NULL)
$$;
