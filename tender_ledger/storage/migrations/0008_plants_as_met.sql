ALTER TABLE plant
    ADD COLUMN habitat text NOT NULL DEFAULT '' CHECK (habitat IS NFC NORMALIZED),
    ADD COLUMN origin text NOT NULL DEFAULT 'unknown'
        CONSTRAINT plant_origin_known CHECK (origin IN ('native', 'introduced', 'invasive', 'unknown')),
    ADD COLUMN management text NOT NULL DEFAULT 'unknown' CONSTRAINT plant_management_known
        CHECK (management IN ('wild', 'tolerated', 'encouraged', 'cultivated', 'bought', 'unknown')),
    ADD COLUMN stage_id bigint REFERENCES vocabulary_term (id);
UPDATE change SET
    before = before || '{"habitat": "", "origin": "unknown", "management": "unknown", "stage_id": null}',
    after = after || '{"habitat": "", "origin": "unknown", "management": "unknown", "stage_id": null}' WHERE entity = 'plant';

-- Something measured of a plant: a range in the standard unit of its kind, an end open where it is null, and the words.
CREATE TABLE feature (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    plant_id bigint NOT NULL,
    character phrase NOT NULL,
    low double precision,
    high double precision,
    unit text NOT NULL CHECK (unit IS NFC NORMALIZED),
    approximate boolean NOT NULL DEFAULT false,
    words phrase NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT feature_ends_order CHECK (low <= high),
    CONSTRAINT feature_says_something CHECK (num_nonnulls(low, high) > 0),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id)
);
CREATE INDEX feature_of_plant ON feature (plant_id);
