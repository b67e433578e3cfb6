-- Who uses a plant: what an animal does of itself is noted and never counted.
ALTER TABLE use_report ADD COLUMN actor text NOT NULL DEFAULT 'people'
    CONSTRAINT use_report_actor_known CHECK (actor IN ('people', 'animal'));
UPDATE change SET before = before || '{"actor": "people"}'::jsonb, after = after || '{"actor": "people"}'::jsonb
    WHERE entity = 'use_report';

-- Outcomes are a rule of their own. A use that only harmed is none, in the rules of every study; a frozen reckoning keeps the
-- rules it was counted by, under which it was one.
CREATE FUNCTION pg_temp.with_outcomes(rules jsonb, harmed jsonb) RETURNS jsonb LANGUAGE sql AS $$
    SELECT CASE WHEN rules IS NULL OR rules ? 'outcomes' THEN rules ELSE rules - 'no_effect' || jsonb_build_object('outcomes',
        CASE rules->>'no_effect' WHEN 'leave_out' THEN '["helped"]'::jsonb ELSE '["helped", "none"]'::jsonb END
        || harmed || '["unstated"]'::jsonb) || '{"actors": ["people"]}'::jsonb END
$$;
UPDATE rules SET body = pg_temp.with_outcomes(body, '[]');
UPDATE frozen_reckoning SET rules = pg_temp.with_outcomes(rules, '["harmed"]');
UPDATE change SET before = jsonb_set(before, '{body}', pg_temp.with_outcomes(before->'body', '[]'))
    WHERE entity = 'rules' AND before ? 'body';
UPDATE change SET after = jsonb_set(after, '{body}', pg_temp.with_outcomes(after->'body', '[]'))
    WHERE entity = 'rules' AND after ? 'body';
UPDATE change SET before = jsonb_set(before, '{rules}', pg_temp.with_outcomes(before->'rules', '["harmed"]'))
    WHERE entity = 'frozen_reckoning' AND before ? 'rules';
UPDATE change SET after = jsonb_set(after, '{rules}', pg_temp.with_outcomes(after->'rules', '["harmed"]'))
    WHERE entity = 'frozen_reckoning' AND after ? 'rules';
