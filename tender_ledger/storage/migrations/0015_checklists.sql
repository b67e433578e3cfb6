-- A checklist that a study goes by beside the shipped one: its names stand in `taxon` and are not changed; the record here is what is
-- brought, taken back and brought again. Names are looked up by their fold, which for those kept so far is their lower case.
ALTER TABLE taxon ADD COLUMN name_fold text NOT NULL DEFAULT '';
UPDATE taxon SET name_fold = lower(name);
ALTER TABLE taxon ALTER COLUMN name_fold DROP DEFAULT;
CREATE INDEX taxon_by_fold ON taxon (checklist_id, name_fold text_pattern_ops);
CREATE INDEX taxon_near ON taxon USING gin (name_fold gin_trgm_ops);
ALTER TABLE checklist ADD COLUMN sha256 text NOT NULL DEFAULT '';
ALTER TABLE checklist DROP CONSTRAINT checklist_once;
ALTER TABLE checklist ADD CONSTRAINT checklist_once UNIQUE NULLS NOT DISTINCT (study_id, name, version, sha256);
CREATE TABLE study_checklist (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    checklist_id bigint NOT NULL REFERENCES checklist (id),
    title phrase NOT NULL,
    edition phrase NOT NULL,
    citation text NOT NULL DEFAULT '' CHECK (citation IS NFC NORMALIZED),
    names integer NOT NULL,
    synonyms integer NOT NULL,
    families integer NOT NULL,
    left_out_count integer NOT NULL DEFAULT 0,
    left_out jsonb NOT NULL DEFAULT '[]',
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT study_checklist_counts CHECK (names > 0 AND synonyms BETWEEN 0 AND names AND families >= 0 AND left_out_count >= 0)
);
CREATE UNIQUE INDEX study_checklist_taken ON study_checklist (study_id, title, edition) WHERE removed_at IS NULL;
