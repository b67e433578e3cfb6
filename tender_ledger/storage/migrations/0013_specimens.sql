-- A voucher: what was pressed and kept of a plant, by whom, under which number of theirs, and where it lies.
CREATE TABLE specimen (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    plant_id bigint NOT NULL,
    collector phrase NOT NULL,
    number phrase NOT NULL,
    day_from date,
    day_to date,
    approximate boolean NOT NULL DEFAULT false,
    place text NOT NULL DEFAULT '' CHECK (place IS NFC NORMALIZED),
    stage_id bigint REFERENCES vocabulary_term (id),
    herbarium text NOT NULL DEFAULT '' CHECK (herbarium IS NFC NORMALIZED),
    duplicates text NOT NULL DEFAULT '' CHECK (duplicates IS NFC NORMALIZED),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT specimen_days_order CHECK (day_from <= day_to),
    CONSTRAINT specimen_day_whole CHECK ((day_from IS NULL) = (day_to IS NULL)),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id)
);
CREATE UNIQUE INDEX specimen_number_taken ON specimen (study_id, collector, number) WHERE removed_at IS NULL;
CREATE INDEX specimen_of_plant ON specimen (plant_id);
