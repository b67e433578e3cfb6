-- A picture of a plant as it is kept: drawn anew from what was brought, which is not kept, and without its metadata. Its position is
-- here only where it may be told.
CREATE TABLE picture (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    plant_id bigint NOT NULL,
    caption text NOT NULL DEFAULT '' CHECK (caption IS NFC NORMALIZED),
    width integer NOT NULL CHECK (width > 0),
    height integer NOT NULL CHECK (height > 0),
    latitude double precision CONSTRAINT picture_latitude_range CHECK (latitude BETWEEN -90 AND 90),
    longitude double precision CONSTRAINT picture_longitude_range CHECK (longitude BETWEEN -180 AND 180),
    client_key uuid,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT picture_client_key UNIQUE (study_id, client_key),
    CONSTRAINT picture_position_whole CHECK ((latitude IS NULL) = (longitude IS NULL)),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id)
);
CREATE INDEX picture_of_plant ON picture (plant_id);
CREATE TABLE picture_data (
    picture_id bigint PRIMARY KEY,
    study_id bigint NOT NULL,
    whole bytea NOT NULL,
    small bytea NOT NULL,
    FOREIGN KEY (study_id, picture_id) REFERENCES picture (study_id, id)
);
