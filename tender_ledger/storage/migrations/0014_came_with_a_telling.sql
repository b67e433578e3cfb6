-- A plant or a name that came with a telling is hidden, and erased, with whoever told it; one that the team recorded by itself stays,
-- whoever tells of it later.
ALTER TABLE plant ADD COLUMN told boolean NOT NULL DEFAULT false;
ALTER TABLE local_name ADD COLUMN told boolean NOT NULL DEFAULT false;
UPDATE plant SET told = true WHERE id IN (
    SELECT made.record_id FROM change made JOIN change telling ON telling.act_id = made.act_id
    WHERE made.entity = 'plant' AND made.before IS NULL AND telling.entity IN ('use_report', 'asking', 'attestation', 'free_list'));
UPDATE local_name SET told = true WHERE id IN (
    SELECT made.record_id FROM change made JOIN change telling ON telling.act_id = made.act_id
    WHERE made.entity = 'local_name' AND made.before IS NULL AND telling.entity = 'attestation');
UPDATE change c SET before = before || jsonb_build_object('told', p.told), after = after || jsonb_build_object('told', p.told)
    FROM plant p WHERE c.entity = 'plant' AND c.record_id = p.id;
UPDATE change c SET before = before || jsonb_build_object('told', n.told), after = after || jsonb_build_object('told', n.told)
    FROM local_name n WHERE c.entity = 'local_name' AND c.record_id = n.id;
