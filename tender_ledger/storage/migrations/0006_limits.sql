-- What an agreement leaves out: uses of one category, or all that was told of one plant.
CREATE TABLE consent_limit (
    study_id bigint NOT NULL,
    consent_id bigint NOT NULL,
    refuses text NOT NULL CONSTRAINT consent_limit_refuses_known CHECK (refuses IN ('record', 'count', 'show', 'publish', 'quote')),
    category_id bigint REFERENCES vocabulary_term (id),
    plant_id bigint,
    CONSTRAINT consent_limit_once UNIQUE NULLS NOT DISTINCT (consent_id, refuses, category_id, plant_id),
    CONSTRAINT consent_limit_one_thing CHECK (num_nonnulls(category_id, plant_id) = 1),
    FOREIGN KEY (study_id, consent_id) REFERENCES consent (study_id, id),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id)
);
UPDATE change SET before = before || '{"limits": []}', after = after || '{"limits": []}' WHERE entity = 'consent';

-- A guardian stands for one community; a person may be guardian of several, one membership each.
ALTER TABLE membership DROP CONSTRAINT membership_role_known,
    ADD CONSTRAINT membership_role_known CHECK (role IN ('owner', 'recorder', 'reviewer', 'reader', 'guardian')),
    ADD COLUMN community_id bigint,
    ADD CONSTRAINT membership_guards_one CHECK ((role = 'guardian') = (community_id IS NOT NULL)),
    ADD CONSTRAINT membership_study_id_community_id_fkey FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id);
DROP INDEX membership_once;
CREATE UNIQUE INDEX membership_once ON membership (study_id, person_id, role, community_id) NULLS NOT DISTINCT WHERE removed_at IS NULL;
UPDATE change SET before = before || '{"community_id": null}', after = after || '{"community_id": null}' WHERE entity = 'membership';
ALTER TABLE invitation DROP CONSTRAINT invitation_role_known,
    ADD CONSTRAINT invitation_role_known CHECK (role IN ('owner', 'recorder', 'reviewer', 'reader', 'guardian')),
    ADD COLUMN community_id bigint,
    ADD CONSTRAINT invitation_guards_one CHECK ((role = 'guardian') = (community_id IS NOT NULL)),
    ADD CONSTRAINT invitation_study_id_community_id_fkey FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id);

-- What a guardian holds back of the community's records; released by being removed.
CREATE TABLE community_restriction (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    study_id bigint NOT NULL REFERENCES study (id),
    community_id bigint NOT NULL,
    refuses text NOT NULL CONSTRAINT community_restriction_refuses_known CHECK (refuses IN ('count', 'show', 'publish', 'quote')),
    category_id bigint REFERENCES vocabulary_term (id),
    plant_id bigint,
    report_id bigint,
    reason phrase NOT NULL,
    set_by bigint NOT NULL REFERENCES person (id),
    set_on date NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    UNIQUE (study_id, id),
    CONSTRAINT community_restriction_one_thing CHECK (num_nonnulls(category_id, plant_id, report_id) = 1),
    FOREIGN KEY (study_id, community_id) REFERENCES community (study_id, id),
    FOREIGN KEY (study_id, plant_id) REFERENCES plant (study_id, id),
    FOREIGN KEY (study_id, report_id) REFERENCES use_report (study_id, id)
);
CREATE UNIQUE INDEX community_restriction_once ON community_restriction (community_id, refuses, category_id, plant_id, report_id)
    NULLS NOT DISTINCT WHERE removed_at IS NULL;

-- Of one giver the agreement that is the latest of the day, and how it stands.
CREATE FUNCTION latest_agreements(p_study bigint, p_day date)
RETURNS TABLE (id bigint, holder_id bigint, community_id bigint, withdrawn boolean, expired boolean, ended boolean, may_record boolean,
               may_count boolean, may_show boolean, may_publish_aggregate boolean, may_publish_verbatim boolean, may_credit boolean,
               expires_on date)
LANGUAGE sql STABLE AS $$
    SELECT DISTINCT ON (k.holder_id, k.community_id) k.id, k.holder_id, k.community_id, coalesce(k.withdrawn_on <= p_day, false),
           coalesce(k.expires_on < p_day, false), coalesce(k.withdrawn_on <= p_day, false) OR coalesce(k.expires_on < p_day, false),
           k.may_record, k.may_count, k.may_show, k.may_publish_aggregate, k.may_publish_verbatim, k.may_credit, k.expires_on
    FROM consent k WHERE k.study_id = p_study AND k.agreed_on <= p_day AND k.removed_at IS NULL
    ORDER BY k.holder_id, k.community_id, k.agreed_on DESC, k.id DESC
$$;

-- As before, over latest_agreements, and with the community that the informant belongs to.
DROP FUNCTION informant_terms(bigint, date);
CREATE FUNCTION informant_terms(p_study bigint, p_day date)
RETURNS TABLE (informant_id bigint, holder_id bigint, on_file boolean, sealed boolean, may_record boolean,
               may_count boolean, may_show boolean, may_publish_aggregate boolean, may_publish_verbatim boolean,
               may_credit boolean, expired_on date, community_id bigint)
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
CREATE FUNCTION bars(p_study bigint, p_day date)
RETURNS TABLE (informant_id bigint, category_id bigint, plant_id bigint, report_id bigint,
               no_record boolean, no_count boolean, no_show boolean, no_publish boolean, no_quote boolean)
LANGUAGE sql STABLE AS $$
    SELECT i.id, b.category_id, b.plant_id, b.report_id, b.refuses = 'record', b.refuses IN ('record', 'count'),
           b.refuses IN ('record', 'show'), b.refuses IN ('record', 'count', 'show', 'publish'), true
    FROM (SELECT k.holder_id, k.community_id, l.category_id, l.plant_id, NULL::bigint AS report_id, l.refuses
            FROM latest_agreements(p_study, p_day) k JOIN consent_limit l ON l.consent_id = k.id
          UNION ALL
          SELECT NULL, r.community_id, r.category_id, r.plant_id, r.report_id, r.refuses
            FROM community_restriction r WHERE r.study_id = p_study AND r.removed_at IS NULL AND r.set_on <= p_day) b
    JOIN holder h ON h.id = b.holder_id OR h.community_id = b.community_id
    JOIN informant i ON i.holder_id = h.id
$$;

-- The reports that bars touch. A category is met by any coding of a report, in any scheme, and by a subcategory of its own.
CREATE FUNCTION barred_reports(p_study bigint, p_day date)
RETURNS TABLE (report_id bigint, no_record boolean, no_count boolean, no_show boolean, no_publish boolean, no_quote boolean)
LANGUAGE sql STABLE AS $$
    SELECT r.id, bool_or(b.no_record), bool_or(b.no_count), bool_or(b.no_show), bool_or(b.no_publish), bool_or(b.no_quote)
    FROM bars(p_study, p_day) b JOIN use_report r ON r.study_id = p_study AND r.informant_id = b.informant_id
    WHERE b.report_id = r.id OR b.plant_id = r.plant_id
       OR EXISTS (SELECT FROM report_coding c WHERE c.report_id = r.id AND b.category_id IN (c.category_id, c.subcategory_id))
    GROUP BY r.id
$$;
