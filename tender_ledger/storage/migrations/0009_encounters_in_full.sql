ALTER TABLE encounter DROP CONSTRAINT encounter_kind_known,
    ADD CONSTRAINT encounter_kind_known
        CHECK (kind IN ('interview', 'walk', 'demonstration', 'free_list', 'group', 'reading')),
    ADD COLUMN place text NOT NULL DEFAULT '' CHECK (place IS NFC NORMALIZED),
    ADD COLUMN latitude double precision CONSTRAINT encounter_latitude_range CHECK (latitude BETWEEN -90 AND 90),
    ADD COLUMN longitude double precision CONSTRAINT encounter_longitude_range CHECK (longitude BETWEEN -180 AND 180),
    ADD CONSTRAINT encounter_position_whole CHECK ((latitude IS NULL) = (longitude IS NULL));
UPDATE change SET before = before || '{"place": "", "latitude": null, "longitude": null}',
                  after = after || '{"place": "", "latitude": null, "longitude": null}' WHERE entity = 'encounter';

-- What somebody named, asked for all the plants they know of, in the order in which they named it.
CREATE TABLE free_list (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    encounter_id bigint NOT NULL,
    informant_id bigint NOT NULL,
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT free_list_client_key UNIQUE (study_id, client_key),
    CONSTRAINT free_list_teller_present FOREIGN KEY (study_id, encounter_id, informant_id)
        REFERENCES encounter_informant (study_id, encounter_id, informant_id)
);
CREATE UNIQUE INDEX free_list_once ON free_list (encounter_id, informant_id) WHERE removed_at IS NULL;
CREATE INDEX free_list_of ON free_list (informant_id);
CREATE TABLE free_list_item (
    study_id bigint NOT NULL,
    free_list_id bigint NOT NULL,
    position smallint NOT NULL CONSTRAINT free_list_item_position CHECK (position > 0),
    name phrase NOT NULL,
    plant_id bigint,
    PRIMARY KEY (free_list_id, position),
    FOREIGN KEY (study_id, free_list_id) REFERENCES free_list (study_id, id),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id)
);
CREATE INDEX free_list_item_plant ON free_list_item (plant_id);
