SET statement_timeout = 0;
SET lock_timeout = 0;
SET idle_in_transaction_session_timeout = 0;
SET client_encoding = 'UTF8';
SET standard_conforming_strings = on;
SELECT pg_catalog.set_config('search_path', '', false);
SET check_function_bodies = false;
SET xmloption = content;
SET client_min_messages = warning;
SET row_security = off;
CREATE SCHEMA graphile_worker;
CREATE TYPE graphile_worker.job_spec AS (
	identifier text,
	payload json,
	queue_name text,
	run_at timestamp with time zone,
	max_attempts smallint,
	job_key text,
	priority smallint,
	flags text[]
);
SET default_tablespace = '';
SET default_table_access_method = heap;
CREATE TABLE graphile_worker._private_jobs (
    id bigint NOT NULL,
    job_queue_id integer,
    task_id integer NOT NULL,
    payload json DEFAULT '{}'::json NOT NULL,
    priority smallint DEFAULT 0 NOT NULL,
    run_at timestamp with time zone DEFAULT now() NOT NULL,
    attempts smallint DEFAULT 0 NOT NULL,
    max_attempts smallint DEFAULT 25 NOT NULL,
    last_error text,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    updated_at timestamp with time zone DEFAULT now() NOT NULL,
    key text,
    locked_at timestamp with time zone,
    locked_by text,
    revision integer DEFAULT 0 NOT NULL,
    flags jsonb,
    is_available boolean GENERATED ALWAYS AS (((locked_at IS NULL) AND (attempts < max_attempts))) STORED NOT NULL,
    CONSTRAINT jobs_key_check CHECK (((length(key) > 0) AND (length(key) <= 512))),
    CONSTRAINT jobs_max_attempts_check CHECK ((max_attempts >= 1))
);
CREATE FUNCTION graphile_worker.add_job(identifier text, payload json DEFAULT NULL::json, queue_name text DEFAULT NULL::text, run_at timestamp with time zone DEFAULT NULL::timestamp with time zone, max_attempts integer DEFAULT NULL::integer, job_key text DEFAULT NULL::text, priority integer DEFAULT NULL::integer, flags text[] DEFAULT NULL::text[], job_key_mode text DEFAULT 'replace'::text) RETURNS graphile_worker._private_jobs
    LANGUAGE plpgsql
    AS $$
declare
  v_job "graphile_worker"._private_jobs;
begin
  if (job_key is null or job_key_mode is null or job_key_mode in ('replace', 'preserve_run_at')) then
    select * into v_job
    from "graphile_worker".add_jobs(
      ARRAY[(
        identifier,
        payload,
        queue_name,
        run_at,
        max_attempts::smallint,
        job_key,
        priority::smallint,
        flags
      )::"graphile_worker".job_spec],
      (job_key_mode = 'preserve_run_at')
    )
    limit 1;
    return v_job;
  elsif job_key_mode = 'unsafe_dedupe' then
    -- Ensure all the tasks exist
    insert into "graphile_worker"._private_tasks as tasks (identifier)
    values (add_job.identifier)
    on conflict do nothing;
    -- Ensure all the queues exist
    if add_job.queue_name is not null then
      insert into "graphile_worker"._private_job_queues as job_queues (queue_name)
      values (add_job.queue_name)
      on conflict do nothing;
    end if;
    -- Insert job, but if one already exists then do nothing, even if the
    -- existing job has already started (and thus represents an out-of-date
    -- world state). This is dangerous because it means that whatever state
    -- change triggered this add_job may not be acted upon (since it happened
    -- after the existing job started executing, but no further job is being
    -- scheduled), but it is useful in very rare circumstances for
    -- de-duplication. If in doubt, DO NOT USE THIS.
    insert into "graphile_worker"._private_jobs as jobs (
      job_queue_id,
      task_id,
      payload,
      run_at,
      max_attempts,
      key,
      priority,
      flags
    )
      select
        job_queues.id,
        tasks.id,
        coalesce(add_job.payload, '{}'::json),
        coalesce(add_job.run_at, now()),
        coalesce(add_job.max_attempts::smallint, 25::smallint),
        add_job.job_key,
        coalesce(add_job.priority::smallint, 0::smallint),
        (
          select jsonb_object_agg(flag, true)
          from unnest(add_job.flags) as item(flag)
        )
      from "graphile_worker"._private_tasks as tasks
      left join "graphile_worker"._private_job_queues as job_queues
      on job_queues.queue_name = add_job.queue_name
      where tasks.identifier = add_job.identifier
    on conflict (key)
      -- Bump the updated_at so that there's something to return
      do update set
        revision = jobs.revision + 1,
        updated_at = now()
      returning *
      into v_job;
    if v_job.revision = 0 then
      perform pg_notify('jobs:insert', '{"r":' || random()::text || ',"count":1}');
    end if;
    return v_job;
  else
    raise exception 'Invalid job_key_mode value, expected ''replace'', ''preserve_run_at'' or ''unsafe_dedupe''.' using errcode = 'GWBKM';
  end if;
end;
$$;
CREATE FUNCTION graphile_worker.add_jobs(specs graphile_worker.job_spec[], job_key_preserve_run_at boolean DEFAULT false) RETURNS SETOF graphile_worker._private_jobs
    LANGUAGE plpgsql
    AS $$
begin
  -- Ensure all the tasks exist
  insert into "graphile_worker"._private_tasks as tasks (identifier)
  select distinct spec.identifier
  from unnest(specs) spec
  on conflict do nothing;
  -- Ensure all the queues exist
  insert into "graphile_worker"._private_job_queues as job_queues (queue_name)
  select distinct spec.queue_name
  from unnest(specs) spec
  where spec.queue_name is not null
  on conflict do nothing;
  -- Ensure any locked jobs have their key cleared - in the case of locked
  -- existing job create a new job instead as it must have already started
  -- executing (i.e. it's world state is out of date, and the fact add_job
  -- has been called again implies there's new information that needs to be
  -- acted upon).
  update "graphile_worker"._private_jobs as jobs
  set
    key = null,
    attempts = jobs.max_attempts,
    updated_at = now()
  from unnest(specs) spec
  where spec.job_key is not null
  and jobs.key = spec.job_key
  and is_available is not true;
  -- WARNING: this count is not 100% accurate; 'on conflict' clause will cause it to be an overestimate
  perform pg_notify('jobs:insert', '{"r":' || random()::text || ',"count":' || array_length(specs, 1)::text || '}');
  -- TODO: is there a risk that a conflict could occur depending on the
  -- isolation level?
  return query insert into "graphile_worker"._private_jobs as jobs (
    job_queue_id,
    task_id,
    payload,
    run_at,
    max_attempts,
    key,
    priority,
    flags
  )
    select
      job_queues.id,
      tasks.id,
      coalesce(spec.payload, '{}'::json),
      coalesce(spec.run_at, now()),
      coalesce(spec.max_attempts, 25),
      spec.job_key,
      coalesce(spec.priority, 0),
      (
        select jsonb_object_agg(flag, true)
        from unnest(spec.flags) as item(flag)
      )
    from unnest(specs) spec
    inner join "graphile_worker"._private_tasks as tasks
    on tasks.identifier = spec.identifier
    left join "graphile_worker"._private_job_queues as job_queues
    on job_queues.queue_name = spec.queue_name
  on conflict (key) do update set
    job_queue_id = excluded.job_queue_id,
    task_id = excluded.task_id,
    payload =
      case
      when json_typeof(jobs.payload) = 'array' and json_typeof(excluded.payload) = 'array' then
        (jobs.payload::jsonb || excluded.payload::jsonb)::json
      else
        excluded.payload
      end,
    max_attempts = excluded.max_attempts,
    run_at = (case
      when job_key_preserve_run_at is true and jobs.attempts = 0 then jobs.run_at
      else excluded.run_at
    end),
    priority = excluded.priority,
    revision = jobs.revision + 1,
    flags = excluded.flags,
    -- always reset error/retry state
    attempts = 0,
    last_error = null,
    updated_at = now()
  where jobs.locked_at is null
  returning *;
end;
$$;
CREATE FUNCTION graphile_worker.complete_jobs(job_ids bigint[]) RETURNS SETOF graphile_worker._private_jobs
    LANGUAGE sql
    AS $$
  delete from "graphile_worker"._private_jobs as jobs
    where id = any(job_ids)
    and (
      locked_at is null
    or
      locked_at < now() - interval '4 hours'
    )
    returning *;
$$;
CREATE FUNCTION graphile_worker.force_unlock_workers(worker_ids text[]) RETURNS void
    LANGUAGE sql
    AS $$
update "graphile_worker"._private_jobs as jobs
set locked_at = null, locked_by = null
where locked_by = any(worker_ids);
update "graphile_worker"._private_job_queues as job_queues
set locked_at = null, locked_by = null
where locked_by = any(worker_ids);
$$;
CREATE FUNCTION graphile_worker.permanently_fail_jobs(job_ids bigint[], error_message text DEFAULT NULL::text) RETURNS SETOF graphile_worker._private_jobs
    LANGUAGE sql
    AS $$
  update "graphile_worker"._private_jobs as jobs
    set
      last_error = coalesce(error_message, 'Manually marked as failed'),
      attempts = max_attempts,
      updated_at = now()
    where id = any(job_ids)
    and (
      locked_at is null
    or
      locked_at < NOW() - interval '4 hours'
    )
    returning *;
$$;
CREATE FUNCTION graphile_worker.remove_job(job_key text) RETURNS graphile_worker._private_jobs
    LANGUAGE plpgsql STRICT
    AS $$
declare
  v_job "graphile_worker"._private_jobs;
begin
  -- Delete job if not locked
  delete from "graphile_worker"._private_jobs as jobs
    where key = job_key
    and (
      locked_at is null
    or
      locked_at < NOW() - interval '4 hours'
    )
  returning * into v_job;
  if not (v_job is null) then
    perform pg_notify('jobs:insert', '{"r":' || random()::text || ',"count":-1}');
    return v_job;
  end if;
  -- Otherwise prevent job from retrying, and clear the key
  update "graphile_worker"._private_jobs as jobs
  set
    key = null,
    attempts = jobs.max_attempts,
    updated_at = now()
  where key = job_key
  returning * into v_job;
  return v_job;
end;
$$;
CREATE FUNCTION graphile_worker.reschedule_jobs(job_ids bigint[], run_at timestamp with time zone DEFAULT NULL::timestamp with time zone, priority integer DEFAULT NULL::integer, attempts integer DEFAULT NULL::integer, max_attempts integer DEFAULT NULL::integer) RETURNS SETOF graphile_worker._private_jobs
    LANGUAGE sql
    AS $$
  update "graphile_worker"._private_jobs as jobs
    set
      run_at = coalesce(reschedule_jobs.run_at, jobs.run_at),
      priority = coalesce(reschedule_jobs.priority::smallint, jobs.priority),
      attempts = coalesce(reschedule_jobs.attempts::smallint, jobs.attempts),
      max_attempts = coalesce(reschedule_jobs.max_attempts::smallint, jobs.max_attempts),
      updated_at = now()
    where id = any(job_ids)
    and (
      locked_at is null
    or
      locked_at < NOW() - interval '4 hours'
    )
    returning *;
$$;
CREATE TABLE graphile_worker._private_job_queues (
    id integer NOT NULL,
    queue_name text NOT NULL,
    locked_at timestamp with time zone,
    locked_by text,
    is_available boolean GENERATED ALWAYS AS ((locked_at IS NULL)) STORED NOT NULL,
    CONSTRAINT job_queues_queue_name_check CHECK ((length(queue_name) <= 128))
);
CREATE TABLE graphile_worker._private_known_crontabs (
    identifier text NOT NULL,
    known_since timestamp with time zone NOT NULL,
    last_execution timestamp with time zone
);
CREATE TABLE graphile_worker._private_tasks (
    id integer NOT NULL,
    identifier text NOT NULL,
    CONSTRAINT tasks_identifier_check CHECK ((length(identifier) <= 128))
);
ALTER TABLE graphile_worker._private_job_queues ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME graphile_worker.job_queues_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE VIEW graphile_worker.jobs AS
 SELECT jobs.id,
    job_queues.queue_name,
    tasks.identifier AS task_identifier,
    jobs.priority,
    jobs.run_at,
    jobs.attempts,
    jobs.max_attempts,
    jobs.last_error,
    jobs.created_at,
    jobs.updated_at,
    jobs.key,
    jobs.locked_at,
    jobs.locked_by,
    jobs.revision,
    jobs.flags
   FROM ((graphile_worker._private_jobs jobs
     JOIN graphile_worker._private_tasks tasks ON ((tasks.id = jobs.task_id)))
     LEFT JOIN graphile_worker._private_job_queues job_queues ON ((job_queues.id = jobs.job_queue_id)));
ALTER TABLE graphile_worker._private_jobs ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME graphile_worker.jobs_id_seq1
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE graphile_worker.migrations (
    id integer NOT NULL,
    ts timestamp with time zone DEFAULT now() NOT NULL,
    breaking boolean DEFAULT false NOT NULL
);
ALTER TABLE graphile_worker._private_tasks ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME graphile_worker.tasks_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE public.bend_tables (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    name text NOT NULL,
    content jsonb NOT NULL,
    removed boolean DEFAULT false NOT NULL,
    version integer DEFAULT 1 NOT NULL,
    changed_at timestamp with time zone DEFAULT now() NOT NULL
);
CREATE TABLE public.changes (
    id bigint NOT NULL,
    job_id uuid NOT NULL,
    what text NOT NULL,
    undone boolean DEFAULT false NOT NULL,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    parts jsonb NOT NULL
);
ALTER TABLE public.changes ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.changes_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE public.designs (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    job_id uuid NOT NULL,
    file_name text NOT NULL,
    bytes bigint NOT NULL,
    sha256 text NOT NULL,
    state text NOT NULL,
    format text,
    version text,
    unit text,
    tree jsonb,
    findings jsonb,
    failure jsonb,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    choices jsonb,
    variant text DEFAULT ''::text NOT NULL,
    replaces uuid,
    CONSTRAINT designs_state_check CHECK ((state = ANY (ARRAY['queued'::text, 'reading'::text, 'read'::text, 'failed'::text])))
);
CREATE TABLE public.files (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    job_id uuid NOT NULL,
    part_id uuid NOT NULL,
    part_version integer NOT NULL,
    recipe jsonb NOT NULL,
    state text NOT NULL,
    file_name text,
    sha256 text,
    bytes bigint,
    evidence jsonb,
    failure jsonb,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    CONSTRAINT files_state_check CHECK ((state = ANY (ARRAY['queued'::text, 'writing'::text, 'written'::text, 'failed'::text])))
);
CREATE TABLE public.inbox (
    id bigint NOT NULL,
    receiver text NOT NULL,
    key text,
    file_name text NOT NULL,
    sha256 text NOT NULL,
    bytes bigint NOT NULL,
    accepted boolean NOT NULL,
    said text NOT NULL,
    remedy text NOT NULL,
    at timestamp with time zone DEFAULT now() NOT NULL
);
ALTER TABLE public.inbox ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.inbox_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE public.jobs (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    name text NOT NULL,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    changed_at timestamp with time zone DEFAULT now() NOT NULL,
    counts jsonb,
    removed_at timestamp with time zone
);
CREATE TABLE public.kysely_migration (
    name character varying(255) NOT NULL,
    "timestamp" character varying(255) NOT NULL
);
CREATE TABLE public.kysely_migration_lock (
    id character varying(255) NOT NULL,
    is_locked integer DEFAULT 0 NOT NULL
);
CREATE TABLE public.operations (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    job_id uuid NOT NULL,
    kind text NOT NULL,
    request jsonb NOT NULL,
    parts jsonb NOT NULL,
    versions jsonb NOT NULL,
    state text NOT NULL,
    progress real DEFAULT 0 NOT NULL,
    doing text DEFAULT ''::text NOT NULL,
    result jsonb,
    failure jsonb,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    CONSTRAINT operations_state_check CHECK ((state = ANY (ARRAY['queued'::text, 'working'::text, 'ready'::text, 'failed'::text, 'cancelled'::text, 'kept'::text, 'dropped'::text])))
);
CREATE TABLE public.parts (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    job_id uuid NOT NULL,
    design_id uuid NOT NULL,
    "position" integer NOT NULL,
    name text NOT NULL,
    quantity integer NOT NULL,
    summary jsonb NOT NULL,
    findings jsonb NOT NULL,
    geometry_sha256 text NOT NULL,
    view_sha256 text NOT NULL,
    recipe jsonb NOT NULL,
    left_out boolean DEFAULT false NOT NULL,
    version integer DEFAULT 1 NOT NULL,
    place jsonb DEFAULT '[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]'::jsonb NOT NULL,
    removed boolean DEFAULT false NOT NULL,
    number text,
    material text,
    thickness double precision,
    variant text DEFAULT ''::text NOT NULL,
    origin jsonb,
    change jsonb,
    ways jsonb,
    made_from uuid,
    CONSTRAINT parts_quantity_check CHECK ((quantity > 0))
);
CREATE TABLE public.receivers (
    id text NOT NULL,
    name text NOT NULL,
    rules jsonb NOT NULL,
    "position" integer NOT NULL,
    archived boolean DEFAULT false NOT NULL,
    version integer DEFAULT 1 NOT NULL,
    changed_at timestamp with time zone DEFAULT now() NOT NULL
);
CREATE SEQUENCE public.release_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;
CREATE TABLE public.release_files (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    release_id uuid NOT NULL,
    job_id uuid NOT NULL,
    "position" integer NOT NULL,
    name text NOT NULL,
    parts jsonb NOT NULL,
    line jsonb NOT NULL,
    title text NOT NULL,
    bed jsonb,
    input text NOT NULL,
    state text NOT NULL,
    sha256 text,
    bytes bigint,
    verdict text,
    evidence jsonb,
    failure jsonb,
    file_id uuid,
    delivery text DEFAULT 'none'::text NOT NULL,
    delivery_said text,
    started_at timestamp with time zone,
    ended_at timestamp with time zone,
    seq bigint DEFAULT nextval('public.release_seq'::regclass) NOT NULL,
    CONSTRAINT release_files_delivery_check CHECK ((delivery = ANY (ARRAY['none'::text, 'waiting'::text, 'accepted'::text, 'refused'::text, 'failed'::text]))),
    CONSTRAINT release_files_state_check CHECK ((state = ANY (ARRAY['queued'::text, 'making'::text, 'made'::text, 'same'::text, 'skipped'::text, 'failed'::text, 'cancelled'::text])))
);
CREATE TABLE public.releases (
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    job_id uuid NOT NULL,
    number integer NOT NULL,
    recipe jsonb NOT NULL,
    options jsonb NOT NULL,
    head jsonb NOT NULL,
    changes jsonb,
    state text NOT NULL,
    folder text,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    ended_at timestamp with time zone,
    CONSTRAINT releases_state_check CHECK ((state = ANY (ARRAY['running'::text, 'done'::text, 'cancelled'::text])))
);
CREATE TABLE public.workers (
    worker_id text NOT NULL,
    seen_at timestamp with time zone DEFAULT now() NOT NULL
);
INSERT INTO graphile_worker._private_tasks OVERRIDING SYSTEM VALUE VALUES (1, 'read-design');
INSERT INTO graphile_worker._private_tasks OVERRIDING SYSTEM VALUE VALUES (4, 'write-file');
INSERT INTO graphile_worker._private_tasks OVERRIDING SYSTEM VALUE VALUES (5, 'operate');
INSERT INTO graphile_worker._private_tasks OVERRIDING SYSTEM VALUE VALUES (6, 'release-file');
INSERT INTO graphile_worker._private_tasks OVERRIDING SYSTEM VALUE VALUES (7, 'deliver-file');
INSERT INTO graphile_worker._private_tasks OVERRIDING SYSTEM VALUE VALUES (8, 'fill-folder');
INSERT INTO graphile_worker.migrations VALUES (1, '2026-11-28 08:17:15.787078+00', true);
INSERT INTO graphile_worker.migrations VALUES (2, '2026-11-28 08:17:15.798752+00', false);
INSERT INTO graphile_worker.migrations VALUES (3, '2026-11-28 08:17:15.810089+00', true);
INSERT INTO graphile_worker.migrations VALUES (4, '2026-11-28 08:17:15.813268+00', false);
INSERT INTO graphile_worker.migrations VALUES (5, '2026-11-28 08:17:15.815541+00', false);
INSERT INTO graphile_worker.migrations VALUES (6, '2026-11-28 08:17:15.81976+00', false);
INSERT INTO graphile_worker.migrations VALUES (7, '2026-11-28 08:17:15.822479+00', false);
INSERT INTO graphile_worker.migrations VALUES (8, '2026-11-28 08:17:15.826159+00', false);
INSERT INTO graphile_worker.migrations VALUES (9, '2026-11-28 08:17:15.833945+00', false);
INSERT INTO graphile_worker.migrations VALUES (10, '2026-11-28 08:17:15.835593+00', false);
INSERT INTO graphile_worker.migrations VALUES (11, '2026-11-28 08:17:15.836637+00', true);
INSERT INTO graphile_worker.migrations VALUES (12, '2026-11-28 08:17:15.86993+00', false);
INSERT INTO graphile_worker.migrations VALUES (13, '2026-11-28 08:17:15.877816+00', true);
INSERT INTO graphile_worker.migrations VALUES (14, '2026-11-28 08:17:15.885583+00', true);
INSERT INTO graphile_worker.migrations VALUES (15, '2026-11-28 08:17:15.888072+00', false);
INSERT INTO graphile_worker.migrations VALUES (16, '2026-11-28 08:17:15.891174+00', true);
INSERT INTO graphile_worker.migrations VALUES (17, '2026-11-28 08:17:15.894261+00', false);
INSERT INTO graphile_worker.migrations VALUES (18, '2026-11-28 08:17:15.896485+00', false);
INSERT INTO graphile_worker.migrations VALUES (19, '2026-11-28 08:17:15.898617+00', true);
INSERT INTO public.changes OVERRIDING SYSTEM VALUE VALUES (1, '05dfa964-dd7e-4d07-acbf-81b4a91c4460', 'fold and print', false, '2026-11-28 08:17:28.319988+00', '[{"part": "4f596c99-5d26-4c05-b4b4-80a67d18cd06", "after": {"ways": ["print", "cut"], "number": "K-7", "thickness": 3}, "before": {"ways": null, "number": null, "thickness": null}}]');
INSERT INTO public.changes OVERRIDING SYSTEM VALUE VALUES (2, '05dfa964-dd7e-4d07-acbf-81b4a91c4460', 'draw Cube', false, '2026-11-28 08:17:28.789296+00', '[{"part": "d573d7f4-67a3-490c-8626-992c8472d4f9", "after": {"removed": false}, "before": {"removed": true}}]');
INSERT INTO public.designs VALUES ('14a8fa63-5e02-4cdb-929b-a97d54499b7f', '05dfa964-dd7e-4d07-acbf-81b4a91c4460', 'sphereWithHole.stl', 51905, '0c499d0d5a87a15119260bc2e094bc6efad9de71b4ff0093b42e17f1d3e14b0d', 'read', 'STL', 'ascii', NULL, '[{"name": "sphereWithHole", "parts": [0], "colour": null, "children": []}]', '[{"code": "no-unit", "count": 1, "remedy": "Choose the unit on the Size step, or give one known length.", "message": "STL has no unit; read as millimetres it is 3 × 3 × 3 mm, which is unlikely.", "severity": "look"}]', NULL, '2026-11-28 08:17:15.964043+00', NULL, '', NULL);
INSERT INTO public.designs VALUES ('0dfa7cc6-2ba6-4954-a8e1-62fec9575d77', '05dfa964-dd7e-4d07-acbf-81b4a91c4460', 'cube-mm.step', 18065, 'cb8a3f7931e8d99c2fce42b6d3f3932c913a2c3c5e566cd4a547d20cef72c0c4', 'read', 'STEP', 'AP214', 'mm', '[{"name": "Part", "parts": [], "colour": null, "children": [{"name": "Cube", "parts": [0], "colour": "#cccccc", "children": []}]}]', '[]', NULL, '2026-11-28 08:17:16.000513+00', NULL, '', NULL);
INSERT INTO public.files VALUES ('da74ccec-9a37-4a74-9442-535485094e71', '05dfa964-dd7e-4d07-acbf-81b4a91c4460', 'bae30eeb-0741-4d1d-ac07-69bdc94cf5f7', 1, '{"file": {"name": null, "unit": "mm", "quads": false, "format": "stl", "encoding": "binary"}, "size": {"factor": 1, "reading": null}, "facets": {"angle": 15, "budget": null, "preset": "one-way", "deviation": 0.08}, "stance": {"how": "as modelled", "drop": false, "turn": [0, 0, 0, 1]}, "receiver": {"id": "lark", "up": "z", "bed": [250, 210, 210], "bead": 0.4, "name": "Lark", "unit": "mm", "layer": 0.2, "formats": ["stl", "3mf", "obj", "ply"], "process": "filament printer", "spacing": 4, "overhang": 45, "smallest": 1, "clearance": 0.2, "mostBytes": 50000000, "mostTriangles": 500000}}', 'written', 'sphereWithHole_mm.stl', '855e90413a6cc7579b23ea71401cd31be9b8f54d50a83a966d4f77b9681bd8f0', 14334, '{"claims": [{"unit": "mm", "verdict": "clear", "designed": 3, "quantity": "Length X", "received": 3, "tolerance": 0.0000037165778322505703, "difference": 0}, {"unit": "mm", "verdict": "clear", "designed": 3, "quantity": "Width Y", "received": 3, "tolerance": 0.0000037165778322505703, "difference": 0}, {"unit": "mm", "verdict": "clear", "designed": 3, "quantity": "Height Z", "received": 3, "tolerance": 0.0000037165778322505703, "difference": 0}, {"unit": "mm2", "verdict": "clear", "designed": 27.418720728268777, "quantity": "Area", "received": 27.418720728268777, "tolerance": 0.0002540104375057042, "difference": 0}, {"unit": "", "verdict": "clear", "designed": "no", "quantity": "Closed", "received": "no", "tolerance": null, "difference": null}, {"unit": "", "verdict": "clear", "designed": 1, "quantity": "Shells", "received": 1, "tolerance": 0, "difference": 0}, {"unit": "", "verdict": "clear", "designed": 0, "quantity": "Voids inside", "received": 0, "tolerance": 0, "difference": 0}, {"unit": "mm", "verdict": "clear", "designed": 0.0000012388592774168568, "quantity": "Deviation", "received": 0, "tolerance": 0.0000012388592774168568, "difference": null}, {"unit": "", "verdict": "clear", "designed": 500000, "quantity": "Triangles", "received": 285, "tolerance": 500000, "difference": null}, {"unit": "", "verdict": "clear", "designed": "−Z side", "quantity": "Side down", "received": "−Z side", "tolerance": null, "difference": null}, {"unit": "bytes", "verdict": "clear", "designed": 14334, "quantity": "File length", "received": 14334, "tolerance": 0, "difference": 0}], "reason": "Not closed: 9 open edges.", "verdict": "stop", "findings": [{"code": "open-edges", "count": 9, "remedy": "Close the holes in the program that made it; the light table shows where they are.", "message": "Not closed: 9 open edges.", "severity": "stop"}, {"code": "overhang", "count": 1, "remedy": "Choose another side down on the Stance step, or print with support.", "message": "3 mm² hang over further than the receiver prints without support (steepest 79° from the vertical).", "severity": "look"}]}', NULL, '2026-11-28 08:17:28.33894+00');
INSERT INTO public.jobs VALUES ('05dfa964-dd7e-4d07-acbf-81b4a91c4460', 'Test job', '2026-11-28 08:17:15.914633+00', '2026-11-28 08:17:28.83+00', NULL, NULL);
INSERT INTO public.kysely_migration VALUES ('001-first-slice', '2026-11-28T08:17:15.685Z');
INSERT INTO public.kysely_migration VALUES ('002-operations', '2026-11-28T08:17:15.696Z');
INSERT INTO public.kysely_migration VALUES ('003-bend-tables', '2026-11-28T08:17:15.699Z');
INSERT INTO public.kysely_migration VALUES ('004-releases', '2026-11-28T08:17:15.716Z');
INSERT INTO public.kysely_migration VALUES ('005-receivers', '2026-11-28T08:17:15.761Z');
INSERT INTO public.kysely_migration VALUES ('006-ways', '2026-11-28T08:17:15.766Z');
INSERT INTO public.kysely_migration VALUES ('007-jobs-kept', '2026-11-28T08:17:15.767Z');
INSERT INTO public.kysely_migration_lock VALUES ('migration_lock', 0);
INSERT INTO public.operations VALUES ('f0186842-76f7-47f2-bb96-ec25f8d31a55', '05dfa964-dd7e-4d07-acbf-81b4a91c4460', 'draw', '{"fit": null, "kind": "draw", "part": "4f596c99-5d26-4c05-b4b4-80a67d18cd06", "view": {"kind": "view", "view": "top", "edges": "silhouette"}}', '["4f596c99-5d26-4c05-b4b4-80a67d18cd06"]', '{"4f596c99-5d26-4c05-b4b4-80a67d18cd06": 2}', 'kept', 1, '', '{"made": [{"name": "Cube, outline from top", "view": "b6562dd223c556e9daf2845cf475e08337998008dc5eb57d25d576b460d4d78d", "summary": {"box": {"max": [1000, 1000, 0], "min": [0, 0, 0]}, "area": 1000000, "kind": "drawing", "made": ["outline from top of Cube"], "name": "Cube, outline from top", "path": ["Cube, outline from top"], "unit": "mm", "faces": null, "thumb": "M42.0 4.0L4.0 4.0L4.0 42.0L42.0 42.0L42.0 4.0Z", "centre": [500, 500, 0], "colour": null, "format": "made here", "places": [[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]], "shells": 0, "survey": null, "volume": 0, "drawing": {"area": 1000000, "gaps": [], "tiny": 0, "zero": 0, "holes": 0, "texts": 0, "layers": [{"name": "outline", "colour": null, "contours": 1}], "length": 4000, "points": 0, "doubles": 0, "islands": 0, "touches": 0, "contours": 1, "overlaps": 0, "segments": {"arc": 0, "line": 4, "bezier": 0, "spline": 0, "ellipse": 0}, "crossings": 0, "splinters": 0, "nearlyFull": 0, "openContours": 0}, "quantity": 1, "openEdges": null, "triangles": null, "flippedEdges": null, "nonManifoldEdges": null, "degenerateTriangles": null}, "findings": [], "geometry": "b6562dd223c556e9daf2845cf475e08337998008dc5eb57d25d576b460d4d78d"}], "beside": true, "places": null, "report": {"said": ["Drew the outline from top."], "drawn": {"area": 1000000, "length": 4000, "contours": 1, "deviation": 0}}, "inPlace": false}', NULL, '2026-11-28 08:17:28.497758+00');
INSERT INTO public.parts VALUES ('bae30eeb-0741-4d1d-ac07-69bdc94cf5f7', '05dfa964-dd7e-4d07-acbf-81b4a91c4460', '14a8fa63-5e02-4cdb-929b-a97d54499b7f', 0, 'sphereWithHole', 1, '{"box": {"max": [3, 3, 3], "min": [0, 0, 0]}, "area": 27.418720728268777, "kind": "mesh", "name": "sphereWithHole", "path": ["sphereWithHole"], "unit": null, "faces": null, "thumb": "", "centre": [1.5013519948535812, 1.500412500773427, 1.5096934110877815], "colour": null, "format": "STL", "places": [[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]], "shells": 1, "survey": null, "volume": 13.459783872939042, "branches": [{"above": [], "quantity": 1}], "quantity": 1, "openEdges": 9, "triangles": 285, "partNumber": null, "flippedEdges": 0, "placeBranches": [0], "nonManifoldEdges": 0, "degenerateTriangles": 0}', '[{"code": "open-edges", "count": 9, "remedy": "Close the holes in the program that made it; the light table shows where they are.", "message": "Not closed: 9 open edges.", "severity": "stop"}]', 'fcb8a098d7380aca0753431a6e1c614d51ebcd7d0d39fd04db7913d2b8daedfd', 'c7806e4e2875ceda7be4d730b152783dd59449b0cdad7a3611cabf5ac1115d9f', '{"file": {"name": null, "unit": "mm", "quads": false, "format": "stl", "encoding": "binary"}, "size": {"factor": 1, "reading": null}, "facets": {"angle": 15, "budget": null, "preset": "one-way", "deviation": 0.08}, "stance": {"how": "as modelled", "drop": false, "turn": [0, 0, 0, 1]}, "receiver": {"id": "lark", "up": "z", "bed": [250, 210, 210], "bead": 0.4, "name": "Lark", "unit": "mm", "layer": 0.2, "formats": ["stl", "3mf", "obj", "ply"], "process": "filament printer", "spacing": 4, "overhang": 45, "smallest": 1, "clearance": 0.2, "mostBytes": 50000000, "mostTriangles": 500000}}', false, 1, '[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]', false, NULL, NULL, NULL, '', '{"area": 27.418720728268777, "body": 1, "kind": "mesh", "name": "sphereWithHole", "size": [3, 3, 3], "faces": null, "holes": null, "shape": "fcb8a098d7380aca0753431a6e1c614d51ebcd7d0d39fd04db7913d2b8daedfd", "source": "sphereWithHole.stl", "volume": 13.459783872939042, "variant": "", "quantity": 1}', NULL, NULL, NULL);
INSERT INTO public.parts VALUES ('4f596c99-5d26-4c05-b4b4-80a67d18cd06', '05dfa964-dd7e-4d07-acbf-81b4a91c4460', '0dfa7cc6-2ba6-4954-a8e1-62fec9575d77', 0, 'Cube', 1, '{"box": {"max": [1000, 1000, 1000], "min": [0, 0, 0]}, "area": 5999999.999999999, "kind": "solid", "name": "Cube", "path": ["Cube"], "unit": "mm", "faces": 6, "thumb": "M19.1 42.0L19.1 20.8M19.1 42.0L6.2 31.8M6.2 31.8L6.2 10.6M19.1 20.8L6.2 10.6M39.8 35.4L39.8 14.2M39.8 35.4L26.9 25.2M26.9 25.2L26.9 4.0M39.8 14.2L26.9 4.0M19.1 42.0L39.8 35.4M19.1 20.8L39.8 14.2M6.2 31.8L26.9 25.2M6.2 10.6L26.9 4.0", "centre": [500, 500, 500], "colour": "#cccccc", "format": "STEP", "places": [[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]], "shells": 1, "survey": {"flat": 6, "sheet": null, "oneWay": 0, "bothWays": 0, "largestRadius": null, "smallestRadius": null}, "volume": 999999999.9999999, "branches": [{"above": [], "quantity": 1}], "quantity": 1, "openEdges": null, "triangles": null, "flippedEdges": null, "placeBranches": [0], "nonManifoldEdges": null, "degenerateTriangles": null}', '[]', '524a5d4781cdbef594556af99a8838d1760abc11bb325ec31a2293f2ced21e6c', 'dae43bff95065f3f3c85b59326519d98770ed8b81b10dcaa441fd2d90c09e7cb', '{"file": {"name": null, "unit": "mm", "quads": false, "format": "stl", "encoding": "binary"}, "size": {"factor": 1, "reading": null}, "facets": {"angle": 30, "budget": null, "preset": "flat", "deviation": 0.2}, "stance": {"how": "as modelled", "drop": false, "turn": [0, 0, 0, 1]}, "receiver": {"id": "lark", "up": "z", "bed": [250, 210, 210], "bead": 0.4, "name": "Lark", "unit": "mm", "layer": 0.2, "formats": ["stl", "3mf", "obj", "ply"], "process": "filament printer", "spacing": 4, "overhang": 45, "smallest": 1, "clearance": 0.2, "mostBytes": 50000000, "mostTriangles": 500000}}', false, 2, '[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]', false, 'K-7', NULL, 3, '', '{"area": 5999999.999999999, "body": 1, "kind": "solid", "name": "Cube", "size": [1000, 1000, 1000], "faces": 6, "holes": null, "shape": "524a5d4781cdbef594556af99a8838d1760abc11bb325ec31a2293f2ced21e6c", "source": "cube-mm.step", "volume": 999999999.9999999, "variant": "", "quantity": 1}', NULL, '["print", "cut"]', NULL);
INSERT INTO public.parts VALUES ('d573d7f4-67a3-490c-8626-992c8472d4f9', '05dfa964-dd7e-4d07-acbf-81b4a91c4460', '0dfa7cc6-2ba6-4954-a8e1-62fec9575d77', 1, 'Cube, outline from top', 1, '{"box": {"max": [1000, 1000, 0], "min": [0, 0, 0]}, "area": 1000000, "kind": "drawing", "made": ["outline from top of Cube"], "name": "Cube, outline from top", "path": ["Cube, outline from top"], "unit": "mm", "faces": null, "thumb": "M42.0 4.0L4.0 4.0L4.0 42.0L42.0 42.0L42.0 4.0Z", "centre": [500, 500, 0], "colour": null, "format": "made here", "places": [[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]], "shells": 0, "survey": null, "volume": 0, "drawing": {"area": 1000000, "gaps": [], "tiny": 0, "zero": 0, "holes": 0, "texts": 0, "layers": [{"name": "outline", "colour": null, "contours": 1}], "length": 4000, "points": 0, "doubles": 0, "islands": 0, "touches": 0, "contours": 1, "overlaps": 0, "segments": {"arc": 0, "line": 4, "bezier": 0, "spline": 0, "ellipse": 0}, "crossings": 0, "splinters": 0, "nearlyFull": 0, "openContours": 0}, "quantity": 1, "openEdges": null, "triangles": null, "flippedEdges": null, "nonManifoldEdges": null, "degenerateTriangles": null}', '[]', 'b6562dd223c556e9daf2845cf475e08337998008dc5eb57d25d576b460d4d78d', 'b6562dd223c556e9daf2845cf475e08337998008dc5eb57d25d576b460d4d78d', '{"file": {"name": null, "unit": "mm", "quads": false, "format": "dxf", "encoding": "ascii"}, "size": {"factor": 1, "reading": null}, "facets": {"angle": 15, "budget": null, "preset": null, "deviation": 0.08}, "stance": {"how": "as modelled", "drop": false, "turn": [0, 0, 0, 1]}, "drawing": {"fit": null, "kerf": 0, "tabs": null, "looks": {}, "place": {"at": [0, 0], "turn": 0, "datum": "corner", "point": [0, 0], "mirror": false}, "stock": null, "blocks": false, "relief": null, "byLayer": {}, "version": "2000", "byColour": {}, "holeMost": 60, "byContour": {}, "smallArea": 0}, "receiver": {"id": "swift", "up": "z", "bed": [900, 600, 12], "bead": 0, "name": "Swift", "unit": "mm", "layer": 0, "cutter": {"feed": 2400, "kerf": 0.16, "kind": "laser", "pass": 0, "rapid": 30000, "curves": false, "margin": 5, "pierce": 0.4, "perInch": null, "versions": ["R12", "2000"], "readsUnit": false, "pocketDepth": 0, "engraveAngle": 0}, "formats": ["dxf", "svg"], "process": "laser, sheet", "spacing": 5, "overhang": 90, "smallest": 1, "clearance": 0.1, "mostBytes": 50000000, "mostTriangles": 0}}', false, 2, '[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]', false, NULL, NULL, NULL, '', NULL, NULL, NULL, '4f596c99-5d26-4c05-b4b4-80a67d18cd06');
INSERT INTO public.receivers VALUES ('lark', 'Lark', '{"id": "lark", "up": "z", "bed": [250, 210, 210], "bead": 0.4, "name": "Lark", "unit": "mm", "layer": 0.2, "formats": ["stl", "3mf", "obj", "ply"], "process": "filament printer", "spacing": 4, "overhang": 45, "smallest": 1, "clearance": 0.2, "mostBytes": 50000000, "mostTriangles": 500000}', 1, false, 1, '2026-11-28 08:17:15.646282+00');
INSERT INTO public.receivers VALUES ('wren', 'Wren', '{"id": "wren", "up": "z", "bed": [143, 89, 175], "bead": 0.05, "name": "Wren", "unit": "mm", "layer": 0.05, "formats": ["stl", "3mf"], "process": "resin printer", "spacing": 2, "overhang": 30, "smallest": 1, "clearance": 0.1, "mostBytes": 200000000, "mostTriangles": 2000000}', 2, false, 1, '2026-11-28 08:17:15.646282+00');
INSERT INTO public.receivers VALUES ('heron', 'Heron', '{"id": "heron", "up": "y", "bed": [600, 400, 90], "bead": 3, "name": "Heron", "unit": "mm", "layer": 0.5, "formats": ["obj", "stl", "ply", "step"], "process": "carving router, 3D", "spacing": 10, "overhang": 90, "smallest": 1, "clearance": 0.1, "mostBytes": 200000000, "mostTriangles": 2000000}', 3, false, 1, '2026-11-28 08:17:15.646282+00');
INSERT INTO public.receivers VALUES ('swift', 'Swift', '{"id": "swift", "up": "z", "bed": [900, 600, 12], "bead": 0, "name": "Swift", "unit": "mm", "layer": 0, "cutter": {"feed": 2400, "kerf": 0.16, "kind": "laser", "pass": 0, "rapid": 30000, "curves": false, "margin": 5, "pierce": 0.4, "perInch": null, "versions": ["R12", "2000"], "readsUnit": false, "pocketDepth": 0, "engraveAngle": 0}, "formats": ["dxf", "svg"], "process": "laser, sheet", "spacing": 5, "overhang": 90, "smallest": 1, "clearance": 0.1, "mostBytes": 50000000, "mostTriangles": 0}', 4, false, 1, '2026-11-28 08:17:15.646282+00');
INSERT INTO public.receivers VALUES ('plover', 'Plover', '{"id": "plover", "up": "z", "bed": [400, 300, 6], "bead": 0, "name": "Plover", "unit": "mm", "layer": 0, "cutter": {"feed": 900, "kerf": 0.2, "kind": "laser", "pass": 0, "rapid": 30000, "curves": true, "margin": 5, "pierce": 0.4, "perInch": 96, "versions": ["R12", "2000", "2018"], "readsUnit": true, "pocketDepth": 0, "engraveAngle": 0}, "formats": ["svg", "dxf"], "process": "laser, hobby", "spacing": 5, "overhang": 90, "smallest": 1, "clearance": 0.1, "mostBytes": 50000000, "mostTriangles": 0}', 5, false, 1, '2026-11-28 08:17:15.646282+00');
INSERT INTO public.receivers VALUES ('martin', 'Martin', '{"id": "martin", "up": "z", "bed": [2440, 1220, 40], "bead": 0, "name": "Martin", "unit": "mm", "layer": 0, "cutter": {"feed": 3000, "kerf": 6, "kind": "router", "pass": 5, "rapid": 10000, "curves": true, "margin": 10, "pierce": 2, "perInch": null, "versions": ["R12", "2000", "2018"], "readsUnit": true, "pocketDepth": 6, "engraveAngle": 60}, "formats": ["dxf", "svg"], "process": "router, sheet", "spacing": 5, "overhang": 90, "smallest": 1, "clearance": 0.1, "mostBytes": 50000000, "mostTriangles": 0}', 6, false, 1, '2026-11-28 08:17:15.646282+00');
INSERT INTO public.receivers VALUES ('pipit', 'Pipit', '{"id": "pipit", "up": "z", "bed": [841, 594, 1], "bead": 0, "name": "Pipit", "unit": "mm", "layer": 0, "cutter": {"feed": 2400, "kerf": 0, "kind": "template", "pass": 0, "rapid": 30000, "curves": true, "margin": 0, "pierce": 0.4, "perInch": null, "versions": [], "readsUnit": true, "pocketDepth": 0, "engraveAngle": 0}, "formats": ["pdf", "svg"], "process": "paper templates", "spacing": 5, "overhang": 90, "smallest": 1, "clearance": 0.1, "mostBytes": 50000000, "mostTriangles": 0}', 7, false, 1, '2026-11-28 08:17:15.646282+00');
SELECT pg_catalog.setval('graphile_worker.job_queues_id_seq', 1, false);
SELECT pg_catalog.setval('graphile_worker.jobs_id_seq1', 4, true);
SELECT pg_catalog.setval('graphile_worker.tasks_id_seq', 10, true);
SELECT pg_catalog.setval('public.changes_id_seq', 2, true);
SELECT pg_catalog.setval('public.inbox_id_seq', 1, false);
SELECT pg_catalog.setval('public.release_seq', 1, false);
ALTER TABLE ONLY graphile_worker._private_job_queues
    ADD CONSTRAINT job_queues_pkey1 PRIMARY KEY (id);
ALTER TABLE ONLY graphile_worker._private_job_queues
    ADD CONSTRAINT job_queues_queue_name_key UNIQUE (queue_name);
ALTER TABLE ONLY graphile_worker._private_jobs
    ADD CONSTRAINT jobs_key_key1 UNIQUE (key);
ALTER TABLE ONLY graphile_worker._private_jobs
    ADD CONSTRAINT jobs_pkey1 PRIMARY KEY (id);
ALTER TABLE ONLY graphile_worker._private_known_crontabs
    ADD CONSTRAINT known_crontabs_pkey PRIMARY KEY (identifier);
ALTER TABLE ONLY graphile_worker.migrations
    ADD CONSTRAINT migrations_pkey PRIMARY KEY (id);
ALTER TABLE ONLY graphile_worker._private_tasks
    ADD CONSTRAINT tasks_identifier_key UNIQUE (identifier);
ALTER TABLE ONLY graphile_worker._private_tasks
    ADD CONSTRAINT tasks_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.bend_tables
    ADD CONSTRAINT bend_tables_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.changes
    ADD CONSTRAINT changes_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.designs
    ADD CONSTRAINT designs_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.files
    ADD CONSTRAINT files_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.inbox
    ADD CONSTRAINT inbox_key_key UNIQUE (key);
ALTER TABLE ONLY public.inbox
    ADD CONSTRAINT inbox_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.jobs
    ADD CONSTRAINT jobs_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.kysely_migration_lock
    ADD CONSTRAINT kysely_migration_lock_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.kysely_migration
    ADD CONSTRAINT kysely_migration_pkey PRIMARY KEY (name);
ALTER TABLE ONLY public.operations
    ADD CONSTRAINT operations_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.parts
    ADD CONSTRAINT parts_design_id_position_key UNIQUE (design_id, "position");
ALTER TABLE ONLY public.parts
    ADD CONSTRAINT parts_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.receivers
    ADD CONSTRAINT receivers_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.release_files
    ADD CONSTRAINT release_files_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.release_files
    ADD CONSTRAINT release_files_release_id_position_key UNIQUE (release_id, "position");
ALTER TABLE ONLY public.releases
    ADD CONSTRAINT releases_job_id_number_key UNIQUE (job_id, number);
ALTER TABLE ONLY public.releases
    ADD CONSTRAINT releases_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.workers
    ADD CONSTRAINT workers_pkey PRIMARY KEY (worker_id);
CREATE INDEX jobs_main_index ON graphile_worker._private_jobs USING btree (priority, run_at) INCLUDE (id, task_id, job_queue_id) WHERE (is_available = true);
CREATE INDEX jobs_no_queue_index ON graphile_worker._private_jobs USING btree (priority, run_at) INCLUDE (id, task_id) WHERE ((is_available = true) AND (job_queue_id IS NULL));
CREATE UNIQUE INDEX bend_tables_lower_idx ON public.bend_tables USING btree (lower(name)) WHERE (NOT removed);
CREATE INDEX changes_job_id_id_idx ON public.changes USING btree (job_id, id);
CREATE INDEX designs_job_id_idx ON public.designs USING btree (job_id);
CREATE INDEX files_part_id_created_at_idx ON public.files USING btree (part_id, created_at DESC);
CREATE INDEX inbox_receiver_id_idx ON public.inbox USING btree (receiver, id DESC);
CREATE INDEX jobs_removed_at_changed_at_id_idx ON public.jobs USING btree (removed_at, changed_at DESC, id);
CREATE INDEX operations_job_id_created_at_idx ON public.operations USING btree (job_id, created_at);
CREATE INDEX parts_job_id_idx ON public.parts USING btree (job_id);
CREATE INDEX parts_made_from_idx ON public.parts USING btree (made_from) WHERE (made_from IS NOT NULL);
CREATE UNIQUE INDEX receivers_lower_idx ON public.receivers USING btree (lower(name));
CREATE INDEX release_files_job_id_input_idx ON public.release_files USING btree (job_id, input) WHERE (sha256 IS NOT NULL);
CREATE INDEX release_files_release_id_idx ON public.release_files USING btree (release_id) WHERE (state = ANY (ARRAY['queued'::text, 'making'::text]));
CREATE UNIQUE INDEX release_files_release_id_lower_idx ON public.release_files USING btree (release_id, lower(name)) WHERE (name <> ''::text);
CREATE INDEX release_files_release_id_seq_idx ON public.release_files USING btree (release_id, seq);
CREATE UNIQUE INDEX releases_folder_idx ON public.releases USING btree (folder);
ALTER TABLE ONLY public.changes
    ADD CONSTRAINT changes_job_id_fkey FOREIGN KEY (job_id) REFERENCES public.jobs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.designs
    ADD CONSTRAINT designs_job_id_fkey FOREIGN KEY (job_id) REFERENCES public.jobs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.designs
    ADD CONSTRAINT designs_replaces_fkey FOREIGN KEY (replaces) REFERENCES public.designs(id) ON DELETE SET NULL;
ALTER TABLE ONLY public.files
    ADD CONSTRAINT files_job_id_fkey FOREIGN KEY (job_id) REFERENCES public.jobs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.files
    ADD CONSTRAINT files_part_id_fkey FOREIGN KEY (part_id) REFERENCES public.parts(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.operations
    ADD CONSTRAINT operations_job_id_fkey FOREIGN KEY (job_id) REFERENCES public.jobs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.parts
    ADD CONSTRAINT parts_design_id_fkey FOREIGN KEY (design_id) REFERENCES public.designs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.parts
    ADD CONSTRAINT parts_job_id_fkey FOREIGN KEY (job_id) REFERENCES public.jobs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.parts
    ADD CONSTRAINT parts_made_from_fkey FOREIGN KEY (made_from) REFERENCES public.parts(id) ON DELETE SET NULL;
ALTER TABLE ONLY public.release_files
    ADD CONSTRAINT release_files_file_id_fkey FOREIGN KEY (file_id) REFERENCES public.files(id) ON DELETE SET NULL;
ALTER TABLE ONLY public.release_files
    ADD CONSTRAINT release_files_job_id_fkey FOREIGN KEY (job_id) REFERENCES public.jobs(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.release_files
    ADD CONSTRAINT release_files_release_id_fkey FOREIGN KEY (release_id) REFERENCES public.releases(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.releases
    ADD CONSTRAINT releases_job_id_fkey FOREIGN KEY (job_id) REFERENCES public.jobs(id) ON DELETE CASCADE;
ALTER TABLE graphile_worker._private_job_queues ENABLE ROW LEVEL SECURITY;
ALTER TABLE graphile_worker._private_jobs ENABLE ROW LEVEL SECURITY;
ALTER TABLE graphile_worker._private_known_crontabs ENABLE ROW LEVEL SECURITY;
ALTER TABLE graphile_worker._private_tasks ENABLE ROW LEVEL SECURITY;
