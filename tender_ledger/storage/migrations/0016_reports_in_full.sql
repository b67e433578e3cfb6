-- A use report with everything that may be told of a use; nothing of it must be.
ALTER TABLE use_report
    ADD COLUMN season text NOT NULL DEFAULT '' CHECK (season IS NFC NORMALIZED),
    ADD COLUMN harvest text NOT NULL DEFAULT '' CHECK (harvest IS NFC NORMALIZED),
    ADD COLUMN harvest_effect text NOT NULL DEFAULT 'unstated' CONSTRAINT use_report_harvest_effect_known
        CHECK (harvest_effect IN ('unstated', 'none', 'light', 'part', 'whole', 'returned')),
    ADD COLUMN dose text NOT NULL DEFAULT '' CHECK (dose IS NFC NORMALIZED),
    ADD COLUMN taker text NOT NULL DEFAULT 'unstated' CONSTRAINT use_report_taker_known
        CHECK (taker IN ('unstated', 'adult', 'child', 'pregnant', 'animal', 'crop')),
    ADD COLUMN phase text NOT NULL DEFAULT '' CHECK (phase IS NFC NORMALIZED),
    ADD COLUMN frequency text NOT NULL DEFAULT '' CHECK (frequency IS NFC NORMALIZED),
    ADD COLUMN course text NOT NULL DEFAULT '' CHECK (course IS NFC NORMALIZED),
    ADD COLUMN proportion text NOT NULL DEFAULT '' CHECK (proportion IS NFC NORMALIZED),
    ADD COLUMN language_id bigint,
    ADD COLUMN cited_id bigint,
    ADD CONSTRAINT use_report_study_id_language_id_fkey FOREIGN KEY (study_id, language_id) REFERENCES language (study_id, id),
    ADD CONSTRAINT use_report_study_id_cited_id_fkey FOREIGN KEY (study_id, cited_id) REFERENCES source (study_id, id);
UPDATE change SET before = before || told.open, after = after || told.open
    FROM (SELECT '{"season": "", "harvest": "", "harvest_effect": "unstated", "dose": "", "taker": "unstated", "phase": "",
                   "frequency": "", "course": "", "proportion": "", "language_id": null, "cited_id": null,
                   "steps": [], "ingredients": [], "teachings": []}'::jsonb AS open) told
    WHERE entity = 'use_report';

-- How it is made ready, step after step; what else goes into it; who showed whom.
CREATE TABLE report_step (
    study_id bigint NOT NULL,
    report_id bigint NOT NULL,
    position smallint NOT NULL,
    method_id bigint REFERENCES vocabulary_term (id),
    words text NOT NULL DEFAULT '' CHECK (words IS NFC NORMALIZED),
    lasts text NOT NULL DEFAULT '' CHECK (lasts IS NFC NORMALIZED),
    heat text NOT NULL DEFAULT '' CHECK (heat IS NFC NORMALIZED),
    strength text NOT NULL DEFAULT '' CHECK (strength IS NFC NORMALIZED),
    PRIMARY KEY (report_id, position),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id)
);
CREATE TABLE report_ingredient (
    study_id bigint NOT NULL,
    report_id bigint NOT NULL,
    position smallint NOT NULL,
    words phrase NOT NULL,
    role text NOT NULL DEFAULT 'companion' CONSTRAINT report_ingredient_role_known
        CHECK (role IN ('main', 'companion', 'carrier', 'corrective')),
    amount text NOT NULL DEFAULT '' CHECK (amount IS NFC NORMALIZED),
    PRIMARY KEY (report_id, position),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id)
);
CREATE TABLE report_teaching (
    study_id bigint NOT NULL,
    report_id bigint NOT NULL,
    position smallint NOT NULL,
    teacher_id bigint,
    words text NOT NULL DEFAULT '' CHECK (words IS NFC NORMALIZED),
    told_when text NOT NULL DEFAULT '' CHECK (told_when IS NFC NORMALIZED),
    PRIMARY KEY (report_id, position),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id),
    FOREIGN KEY (study_id, teacher_id) REFERENCES informant (study_id, id)
);

-- Two tellers contradict one another: both reports stay. One side is empty where its teller was erased.
CREATE TABLE dispute (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    report_id bigint NOT NULL,
    other_id bigint,
    note text NOT NULL DEFAULT '' CHECK (note IS NFC NORMALIZED),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT dispute_in_order CHECK (report_id < other_id),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id),
    FOREIGN KEY (study_id, other_id) REFERENCES use_report (study_id, id)
);
CREATE UNIQUE INDEX dispute_once ON dispute (report_id, other_id) WHERE removed_at IS NULL;
CREATE INDEX dispute_other ON dispute (other_id);

-- What is told of a plant beside its uses: a property, or what it is to another plant. Neither is ever a use.
CREATE TABLE property_claim (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    encounter_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    plant_id bigint NOT NULL,
    part_id bigint REFERENCES vocabulary_term (id),
    property phrase NOT NULL,
    basis_id bigint NOT NULL REFERENCES vocabulary_term (id),
    words text NOT NULL DEFAULT '' CHECK (words IS NFC NORMALIZED),
    recorded_by bigint NOT NULL REFERENCES person (id),
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT property_claim_client_key UNIQUE (study_id, client_key),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id),
    CONSTRAINT property_claim_teller_present FOREIGN KEY (study_id, encounter_id, informant_id)
        REFERENCES encounter_informant (study_id, encounter_id, informant_id)
);
CREATE INDEX property_claim_of_plant ON property_claim (plant_id);
CREATE TABLE plant_link (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    encounter_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    plant_id bigint NOT NULL,
    other_id bigint NOT NULL,
    kind text NOT NULL CONSTRAINT plant_link_kind_known
        CHECK (kind IN ('antidote', 'substitute', 'vessel', 'host', 'look_alike')),
    words text NOT NULL DEFAULT '' CHECK (words IS NFC NORMALIZED),
    recorded_by bigint NOT NULL REFERENCES person (id),
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT plant_link_client_key UNIQUE (study_id, client_key),
    CONSTRAINT plant_link_of_two CHECK (plant_id <> other_id),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id),
    CONSTRAINT plant_link_study_id_other_id_fkey FOREIGN KEY (study_id, other_id) REFERENCES plant (study_id, id),
    CONSTRAINT plant_link_teller_present FOREIGN KEY (study_id, encounter_id, informant_id)
        REFERENCES encounter_informant (study_id, encounter_id, informant_id)
);
CREATE UNIQUE INDEX plant_link_once ON plant_link (encounter_id, informant_id, plant_id, other_id, kind) WHERE removed_at IS NULL;
CREATE INDEX plant_link_of_other ON plant_link (other_id);
