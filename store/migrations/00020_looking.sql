-- +goose Up

-- An intake lets the server look at the tables that it has changed at a stroke. With many schools in them that takes long, and one school more changes
-- little: only those are looked at that have grown by a fifth since somebody last looked.
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION look_at_tables() RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE name text;
BEGIN
    FOREACH name IN ARRAY ARRAY['person', 'relation', 'record', 'signal', 'sheet', 'entry', 'course', 'school_year', 'submission', 'signature', 'event', 'account'] LOOP
        IF (SELECT pg_relation_size(oid) > 1.2 * relpages * current_setting('block_size')::int FROM pg_class WHERE oid = ('public.' || name)::regclass) THEN
            EXECUTE 'ANALYZE public.' || name;
        END IF;
    END LOOP;
END
$$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION look_at_tables() RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    ANALYZE public.person, public.relation, public.record, public.signal, public.sheet, public.entry, public.course, public.school_year, public.submission,
        public.signature, public.event, public.account;
END
$$;
-- +goose StatementEnd
