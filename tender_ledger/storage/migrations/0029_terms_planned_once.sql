-- What people agreed to, asked by nearly every statement: planned once a connection, where a function in SQL was planned anew
-- within each statement that asks it, which took longer than running it. What they answer is as before.

CREATE OR REPLACE FUNCTION latest_agreements(p_study bigint, p_day date)
 RETURNS TABLE(
    id bigint, holder_id bigint, community_id bigint, withdrawn boolean, expired boolean,
    ended boolean, may_record boolean, may_count boolean, may_show boolean,
    may_publish_aggregate boolean, may_publish_verbatim boolean, may_publish_rows boolean,
    may_credit boolean, expires_on date)
 LANGUAGE plpgsql
 STABLE ROWS 200
AS $$
#variable_conflict use_column
BEGIN
RETURN QUERY SELECT DISTINCT ON (k.holder_id, k.community_id) k.id, k.holder_id, k.community_id, coalesce(k.withdrawn_on <= p_day, false),
           coalesce(k.expires_on < p_day, false), coalesce(k.withdrawn_on <= p_day, false) OR coalesce(k.expires_on < p_day, false),
           k.may_record, k.may_count, k.may_show, k.may_publish_aggregate, k.may_publish_verbatim, k.may_publish_rows,
           k.may_credit, k.expires_on
    FROM consent k WHERE k.study_id = p_study AND k.agreed_on <= p_day AND k.removed_at IS NULL
    ORDER BY k.holder_id, k.community_id, k.agreed_on DESC, k.id DESC;
END
$$;

CREATE OR REPLACE FUNCTION informant_terms(p_study bigint, p_day date)
 RETURNS TABLE(
    informant_id bigint, holder_id bigint, on_file boolean, sealed boolean, may_record boolean,
    may_count boolean, may_show boolean, may_publish_aggregate boolean,
    may_publish_verbatim boolean, may_publish_rows boolean, may_credit boolean, expired_on date,
    community_id bigint)
 LANGUAGE plpgsql
 STABLE ROWS 200
AS $$
#variable_conflict use_column
BEGIN
RETURN QUERY WITH latest AS MATERIALIZED (SELECT * FROM latest_agreements(p_study, p_day))
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
    WHERE i.study_id = p_study AND (h.id IS NOT NULL OR s.id IS NOT NULL);
END
$$;

CREATE OR REPLACE FUNCTION bars(p_study bigint, p_day date)
 RETURNS TABLE(
    informant_id bigint, category_id bigint, plant_id bigint, report_id bigint, no_record boolean,
    no_count boolean, no_show boolean, no_publish boolean, no_quote boolean)
 LANGUAGE plpgsql
 STABLE ROWS 50
AS $$
#variable_conflict use_column
BEGIN
RETURN QUERY SELECT i.id, b.category_id, b.plant_id, b.report_id, b.refuses = 'record', b.refuses IN ('record', 'count'),
           b.refuses IN ('record', 'show'), b.refuses IN ('record', 'count', 'show', 'publish'), true
    FROM (SELECT k.holder_id, k.community_id, l.category_id, l.plant_id, NULL::bigint AS report_id, l.refuses
            FROM latest_agreements(p_study, p_day) k JOIN consent_limit l ON l.consent_id = k.id
          UNION ALL
          SELECT NULL, r.community_id, r.category_id, r.plant_id, r.report_id, r.refuses
            FROM community_restriction r WHERE r.study_id = p_study AND r.removed_at IS NULL AND r.set_on <= p_day) b
    JOIN holder h ON h.id = b.holder_id OR h.community_id = b.community_id
    JOIN informant i ON i.holder_id = h.id;
END
$$;

CREATE OR REPLACE FUNCTION barred_reports(p_study bigint, p_day date)
 RETURNS TABLE(
    report_id bigint, no_record boolean, no_count boolean, no_show boolean, no_publish boolean,
    no_quote boolean)
 LANGUAGE plpgsql
 STABLE ROWS 50
AS $$
#variable_conflict use_column
BEGIN
RETURN QUERY SELECT r.id, bool_or(b.no_record), bool_or(b.no_count), bool_or(b.no_show), bool_or(b.no_publish), bool_or(b.no_quote)
    FROM bars(p_study, p_day) b JOIN use_report r ON r.study_id = p_study AND r.informant_id = b.informant_id
    WHERE b.report_id = r.id OR b.plant_id = r.plant_id
       OR EXISTS (SELECT FROM report_coding c WHERE c.report_id = r.id AND b.category_id IN (c.category_id, c.subcategory_id))
    GROUP BY r.id;
END
$$;
