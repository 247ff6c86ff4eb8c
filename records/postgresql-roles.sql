-- SPDX-License-Identifier: GPL-3.0-or-later
-- Least rights for a store on a PostgreSQL server (docs/formats/store.md). Carried out by an administrator in the store's
-- database, before the first program is started there and again after each new version of the tables:
--
--   psql -d imprimo -f postgresql-roles.sql
--   psql -d imprimo -c 'GRANT imprimo_station TO line1; GRANT imprimo_engineer TO anna'
--
-- Engineers make the tables, remove old records and restore backups. Stations add what they did, and change nothing of
-- what is there but the state of a unit.
DO $$
BEGIN
  IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'imprimo_engineer') THEN
    CREATE ROLE imprimo_engineer NOLOGIN;
  END IF;
  IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'imprimo_station') THEN
    CREATE ROLE imprimo_station NOLOGIN;
  END IF;
END
$$;

REVOKE ALL ON SCHEMA public FROM PUBLIC;
GRANT USAGE, CREATE ON SCHEMA public TO imprimo_engineer;
GRANT USAGE ON SCHEMA public TO imprimo_station;

DO $$
DECLARE
  one text;
BEGIN
  -- What was made by one engineer is all engineers'.
  FOR one IN SELECT tablename FROM pg_tables WHERE schemaname = 'public' LOOP
    EXECUTE format('ALTER TABLE public.%I OWNER TO imprimo_engineer', one);
    EXECUTE format('REVOKE ALL ON public.%I FROM imprimo_station', one);
    EXECUTE format('GRANT SELECT ON public.%I TO imprimo_station', one);
    IF one IN ('ledger', 'unit', 'day_count') THEN
      EXECUTE format('GRANT INSERT, UPDATE ON public.%I TO imprimo_station', one);
    ELSIF one IN ('unit_event', 'unit_value', 'run', 'run_value') THEN
      EXECUTE format('GRANT INSERT ON public.%I TO imprimo_station', one);
    END IF;
  END LOOP;
  FOR one IN SELECT sequencename FROM pg_sequences WHERE schemaname = 'public' LOOP
    EXECUTE format('GRANT USAGE ON SEQUENCE public.%I TO imprimo_station', one);
  END LOOP;
END
$$;
