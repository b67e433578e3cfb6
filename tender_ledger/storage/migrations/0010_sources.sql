ALTER TABLE source DROP CONSTRAINT source_kind_known, ADD CONSTRAINT source_kind_known
    CHECK (kind IN ('book', 'article', 'chapter', 'thesis', 'report', 'herbarium_label', 'archive_recording', 'manuscript', 'other',
                    'unstated'));
-- Records become CSL items: the type by its name there, the year as a date, no empty author.
CREATE FUNCTION pg_temp.as_csl(item jsonb) RETURNS jsonb LANGUAGE sql AS $$
    SELECT item
        || jsonb_build_object('type', CASE item ->> 'type' WHEN 'book' THEN 'book' WHEN 'article' THEN 'article-journal'
             WHEN 'manuscript' THEN 'manuscript' ELSE 'document' END)
        || jsonb_build_object('author', coalesce((SELECT jsonb_agg(a) FROM jsonb_array_elements(item -> 'author') a
             WHERE a ->> 'literal' <> ''), '[]'))
        || jsonb_build_object('issued', CASE WHEN item #>> '{issued,raw}' ~ '^\d{4}$'
             THEN jsonb_build_object('date-parts', jsonb_build_array(jsonb_build_array((item #>> '{issued,raw}')::int)))
             WHEN coalesce(item #>> '{issued,raw}', '') = '' THEN '{}'
             ELSE jsonb_build_object('literal', item #>> '{issued,raw}') END)
$$;
UPDATE source SET csl = pg_temp.as_csl(csl);
UPDATE change SET before = before || jsonb_build_object('csl', pg_temp.as_csl(before -> 'csl')),
                  after = after || jsonb_build_object('csl', pg_temp.as_csl(after -> 'csl')) WHERE entity = 'source';
