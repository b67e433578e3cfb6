-- A determination may say that the plant is of no taxon that anybody can name; what was written of it is kept.
ALTER TABLE determination ALTER COLUMN taxon_id DROP NOT NULL,
    ADD COLUMN verbatim text NOT NULL DEFAULT '' CHECK (verbatim IS NFC NORMALIZED);
UPDATE change SET before = before || '{"verbatim": ""}', after = after || '{"verbatim": ""}' WHERE entity = 'determination';

ALTER TABLE local_name ADD COLUMN dialect_id bigint,
    ADD CONSTRAINT local_name_study_id_dialect_id_fkey FOREIGN KEY (study_id, dialect_id) REFERENCES dialect (study_id, id);
UPDATE change SET before = before || '{"dialect_id": null}', after = after || '{"dialect_id": null}' WHERE entity = 'local_name';
