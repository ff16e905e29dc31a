-- +goose Up

-- A second wall between schools, beside what the statements say: a connection that is set to a school (rubricon.school) sees and writes rows of that
-- school alone. One that is set to none, as those of programs before this version are, or to * sees all. The owner of the tables is not held back.
-- The setting is read once a statement, in a subquery, not once a row.
-- "Not false" is written so that PostgreSQL takes the condition to be nearly always true (a boolean test that it knows nothing of): statements name
-- their school anyway, and a guess of one school in forty, taken twice, leads to plans for a handful of rows.
-- +goose StatementBegin
DO $$
DECLARE r record;
BEGIN
    FOR r IN SELECT c.table_name AS name, c.column_name AS col FROM information_schema.columns c JOIN information_schema.tables t USING (table_schema, table_name)
        WHERE c.table_schema = 'public' AND t.table_type = 'BASE TABLE' AND (c.column_name = 'school_id' OR c.table_name = 'school' AND c.column_name = 'id')
    LOOP
        EXECUTE format('ALTER TABLE %I ENABLE ROW LEVEL SECURITY', r.name);
        EXECUTE format('CREATE POLICY by_school ON %I USING (nullif((SELECT coalesce(nullif(current_setting(''rubricon.school'', true), ''''), ''*'')) IN (''*'', %I), false) IS NOT UNKNOWN)', r.name, r.col);
    END LOOP;
END $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
DO $$
DECLARE r record;
BEGIN
    FOR r IN SELECT tablename AS name FROM pg_policies WHERE schemaname = 'public' AND policyname = 'by_school' LOOP
        EXECUTE format('DROP POLICY by_school ON %I', r.name);
        EXECUTE format('ALTER TABLE %I DISABLE ROW LEVEL SECURITY', r.name);
    END LOOP;
END $$;
-- +goose StatementEnd
