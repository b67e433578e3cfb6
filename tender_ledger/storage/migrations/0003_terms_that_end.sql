-- What an agreement says beside the five answers: until when it stands, credit by name, and the wishes that people keep by hand.
ALTER TABLE consent
    ADD COLUMN may_credit boolean NOT NULL DEFAULT false,
    ADD COLUMN expires_on date,
    ADD COLUMN audience text NOT NULL DEFAULT '' CHECK (audience IS NFC NORMALIZED),
    ADD COLUMN archive text NOT NULL DEFAULT '' CHECK (archive IS NFC NORMALIZED),
    ADD COLUMN reuse text NOT NULL DEFAULT '' CHECK (reuse IS NFC NORMALIZED),
    ADD COLUMN after_death text NOT NULL DEFAULT '' CHECK (after_death IS NFC NORMALIZED),
    ADD COLUMN minors text NOT NULL DEFAULT '' CHECK (minors IS NFC NORMALIZED),
    ADD CONSTRAINT consent_expires_after CHECK (expires_on >= agreed_on);
-- How a holder wants to be credited, what stands in place of the name, and how long the holder has lived here.
ALTER TABLE holder
    ADD COLUMN credit text NOT NULL DEFAULT 'anonymous'
        CONSTRAINT holder_credit_known CHECK (credit IN ('named', 'pseudonym', 'anonymous')),
    ADD COLUMN pseudonym text NOT NULL DEFAULT '' CHECK (pseudonym IS NFC NORMALIZED),
    ADD COLUMN learned_from text NOT NULL DEFAULT '' CHECK (learned_from IS NFC NORMALIZED),
    ADD COLUMN years_in_place integer CONSTRAINT holder_years_in_place_range CHECK (years_in_place BETWEEN 0 AND 120),
    ADD CONSTRAINT holder_pseudonym_said CHECK (credit <> 'pseudonym' OR pseudonym <> '');

-- The history keeps its states in the form the records have now, or no act from before could be undone.
UPDATE change SET
    before = before || '{"may_credit": false, "expires_on": null, "audience": "", "archive": "", "reuse": "", "after_death": "", "minors": ""}',
    after = after || '{"may_credit": false, "expires_on": null, "audience": "", "archive": "", "reuse": "", "after_death": "", "minors": ""}'
    WHERE entity = 'consent';
UPDATE change SET
    before = before || '{"credit": "anonymous", "pseudonym": "", "learned_from": "", "years_in_place": null}',
    after = after || '{"credit": "anonymous", "pseudonym": "", "learned_from": "", "years_in_place": null}'
    WHERE entity = 'holder';

-- Of one giver the latest agreement of the day stands; between holder and community the strictest wins. An agreement stands to the
-- end of its last day. Past it a holder's is as if none were on file, but what was refused stays refused; a community's allows
-- nothing but recording. A source needs none. A removed holder or source is in no row.
DROP FUNCTION informant_terms(bigint, date);
CREATE FUNCTION informant_terms(p_study bigint, p_day date)
RETURNS TABLE (informant_id bigint, holder_id bigint, on_file boolean, sealed boolean, may_record boolean,
               may_count boolean, may_show boolean, may_publish_aggregate boolean, may_publish_verbatim boolean,
               may_credit boolean, expired_on date)
LANGUAGE sql STABLE AS $$
    WITH latest AS (
        SELECT DISTINCT ON (holder_id, community_id) *, coalesce(withdrawn_on <= p_day, false) AS withdrawn,
               coalesce(expires_on < p_day, false) AS expired,
               coalesce(withdrawn_on <= p_day, false) OR coalesce(expires_on < p_day, false) AS ended
        FROM consent
        WHERE study_id = p_study AND agreed_on <= p_day AND removed_at IS NULL
        ORDER BY holder_id, community_id, agreed_on DESC, id DESC
    )
    SELECT i.id, h.id, s.id IS NOT NULL OR (own.id IS NOT NULL AND NOT own.expired),
           coalesce(own.withdrawn, false) OR coalesce(theirs.withdrawn, false),
           s.id IS NOT NULL OR (coalesce(own.may_record AND NOT own.withdrawn, own.id IS NULL)
                                AND coalesce(theirs.may_record AND NOT theirs.withdrawn, true)),
           s.id IS NOT NULL OR (coalesce(own.may_count AND NOT own.ended, false)
                                AND coalesce(theirs.may_count AND NOT theirs.ended, true)),
           s.id IS NOT NULL OR (coalesce(own.may_show AND NOT own.ended, false)
                                AND coalesce(theirs.may_show AND NOT theirs.ended, true)),
           s.id IS NOT NULL OR (coalesce(own.may_publish_aggregate AND NOT own.ended, false)
                                AND coalesce(theirs.may_publish_aggregate AND NOT theirs.ended, true)),
           s.id IS NOT NULL OR (coalesce(own.may_publish_verbatim AND NOT own.ended, false)
                                AND coalesce(theirs.may_publish_verbatim AND NOT theirs.ended, true)),
           coalesce(own.may_credit AND NOT own.ended, false) AND coalesce(theirs.may_credit AND NOT theirs.ended, true),
           coalesce(CASE WHEN own.expired THEN own.expires_on END, CASE WHEN theirs.expired THEN theirs.expires_on END)
    FROM informant i
    LEFT JOIN holder h ON h.id = i.holder_id AND h.removed_at IS NULL
    LEFT JOIN source s ON s.id = i.source_id AND s.removed_at IS NULL
    LEFT JOIN latest own ON own.holder_id = h.id
    LEFT JOIN latest theirs ON theirs.community_id = h.community_id
    WHERE i.study_id = p_study AND (h.id IS NOT NULL OR s.id IS NOT NULL)
$$;
