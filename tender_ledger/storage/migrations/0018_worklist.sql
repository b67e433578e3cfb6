-- A caution on record: of a taxon or genus, and where it is said so of a part, a stage, a preparation.
CREATE TABLE caution (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    taxon phrase NOT NULL,
    part_id bigint REFERENCES vocabulary_term (id),
    stage_id bigint REFERENCES vocabulary_term (id),
    method_id bigint REFERENCES vocabulary_term (id),
    kind text NOT NULL CONSTRAINT caution_kind_known CHECK (kind IN ('poisonous_part', 'poisonous_raw', 'poisonous_stage',
        'dose_limit', 'look_alike', 'skin', 'interaction', 'children', 'route', 'duration', 'injury', 'germs', 'contaminated_site',
        'preparation_fault', 'law', 'protected')),
    harm phrase NOT NULL,
    source phrase NOT NULL,
    asks_id bigint REFERENCES vocabulary_term (id),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id)
);
-- What was decided of an item of the worklist: settled, or set aside with a reason. The item itself is found anew each time.
CREATE TABLE worklist_mark (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    rule text NOT NULL,
    about text NOT NULL,
    way text NOT NULL CONSTRAINT worklist_mark_way_known CHECK (way IN ('settled', 'set_aside')),
    reason text NOT NULL DEFAULT '' CHECK (reason IS NFC NORMALIZED),
    marked_by bigint NOT NULL REFERENCES person (id),
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT worklist_mark_reason_said CHECK (way = 'settled' OR reason <> '')
);
CREATE UNIQUE INDEX worklist_mark_once ON worklist_mark (study_id, rule, about) WHERE removed_at IS NULL;
