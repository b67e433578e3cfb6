-- What a holder lets leave the study in counts, and what coded row by row, are two answers. Agreements from before say the first alone.
ALTER TABLE consent ADD COLUMN may_publish_rows boolean NOT NULL DEFAULT false,
    ADD CONSTRAINT consent_aggregate_before_rows CHECK (may_publish_aggregate OR NOT may_publish_rows);
UPDATE change SET before = before || '{"may_publish_rows": false}', after = after || '{"may_publish_rows": false}'
    WHERE entity = 'consent';

DROP FUNCTION informant_terms(bigint, date);
DROP FUNCTION latest_agreements(bigint, date);
CREATE FUNCTION latest_agreements(p_study bigint, p_day date)
RETURNS TABLE (id bigint, holder_id bigint, community_id bigint, withdrawn boolean, expired boolean, ended boolean, may_record boolean,
               may_count boolean, may_show boolean, may_publish_aggregate boolean, may_publish_verbatim boolean,
               may_publish_rows boolean, may_credit boolean, expires_on date)
LANGUAGE sql STABLE AS $$
    SELECT DISTINCT ON (k.holder_id, k.community_id) k.id, k.holder_id, k.community_id, coalesce(k.withdrawn_on <= p_day, false),
           coalesce(k.expires_on < p_day, false), coalesce(k.withdrawn_on <= p_day, false) OR coalesce(k.expires_on < p_day, false),
           k.may_record, k.may_count, k.may_show, k.may_publish_aggregate, k.may_publish_verbatim, k.may_publish_rows,
           k.may_credit, k.expires_on
    FROM consent k WHERE k.study_id = p_study AND k.agreed_on <= p_day AND k.removed_at IS NULL
    ORDER BY k.holder_id, k.community_id, k.agreed_on DESC, k.id DESC
$$;

-- As before, over latest_agreements, and with the community that the informant belongs to.
CREATE FUNCTION informant_terms(p_study bigint, p_day date)
RETURNS TABLE (informant_id bigint, holder_id bigint, on_file boolean, sealed boolean, may_record boolean,
               may_count boolean, may_show boolean, may_publish_aggregate boolean, may_publish_verbatim boolean,
               may_publish_rows boolean, may_credit boolean, expired_on date, community_id bigint)
LANGUAGE sql STABLE AS $$
    WITH latest AS MATERIALIZED (SELECT * FROM latest_agreements(p_study, p_day))
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
           s.id IS NOT NULL OR (coalesce(own.may_publish_rows AND NOT own.ended, false)
                                AND coalesce(theirs.may_publish_rows AND NOT theirs.ended, true)),
           coalesce(own.may_credit AND NOT own.ended, false) AND coalesce(theirs.may_credit AND NOT theirs.ended, true),
           coalesce(CASE WHEN own.expired THEN own.expires_on END, CASE WHEN theirs.expired THEN theirs.expires_on END),
           coalesce(h.community_id, s.community_id)
    FROM informant i
    LEFT JOIN holder h ON h.id = i.holder_id AND h.removed_at IS NULL
    LEFT JOIN source s ON s.id = i.source_id AND s.removed_at IS NULL
    LEFT JOIN latest own ON own.holder_id = h.id
    LEFT JOIN latest theirs ON theirs.community_id = h.community_id
    WHERE i.study_id = p_study AND (h.id IS NOT NULL OR s.id IS NOT NULL)
$$;

-- What is left out of what each holder allows, by limits and restrictions: one thing each, and the answers it takes away. What may not
-- be recorded, counted or shown is not published either; an agreement that ended refuses what it refused.
