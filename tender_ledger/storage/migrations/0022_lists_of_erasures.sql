-- Who a holder is in every copy of the database. Numbers do not tell: two copies that both go on give the same number to two people.
-- For holders that are here already it is made of what every backup has of them, so that an older backup comes to the same.
ALTER TABLE holder ADD COLUMN uid uuid;
UPDATE holder h SET uid = md5(concat_ws('|', (SELECT id FROM installation), h.study_id, h.id, h.code,
    (SELECT min(extract(epoch FROM a.at)) FROM change c JOIN act a ON a.id = c.act_id
      WHERE c.entity = 'holder' AND c.record_id = h.id)))::uuid;
ALTER TABLE holder ALTER COLUMN uid SET DEFAULT gen_random_uuid(), ALTER COLUMN uid SET NOT NULL,
    ADD CONSTRAINT holder_uid_once UNIQUE (uid);

-- Every erasure that this database has heard of, in it or in another copy; a study or person of it may not be here.
CREATE TABLE known_erasure (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    installation uuid NOT NULL,
    study_id bigint NOT NULL,
    holder_id bigint NOT NULL,
    holder_uid uuid,  -- not known of erasures before there was one
    person_id bigint NOT NULL,
    records integer NOT NULL,
    at timestamptz NOT NULL,
    CONSTRAINT known_erasure_once UNIQUE NULLS NOT DISTINCT (installation, study_id, holder_id, holder_uid)
);
INSERT INTO known_erasure (installation, study_id, holder_id, person_id, records, at)
    SELECT i.id, e.study_id, e.holder_id, e.person_id, e.records, e.at FROM erasure e, installation i;

-- Restored while nothing said who was erased after the backup was made: nobody is served until somebody confirms it.
ALTER TABLE installation ADD COLUMN waits_since timestamptz;
