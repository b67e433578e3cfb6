-- Where in the recording a property or a link was told, as of a report.
ALTER TABLE property_claim ADD COLUMN start_s double precision CONSTRAINT property_claim_start_positive CHECK (start_s >= 0);
ALTER TABLE plant_link ADD COLUMN start_s double precision CONSTRAINT plant_link_start_positive CHECK (start_s >= 0);
UPDATE change SET before = before || '{"start_s": null}'::jsonb, after = after || '{"start_s": null}'::jsonb
    WHERE entity IN ('property_claim', 'plant_link');
