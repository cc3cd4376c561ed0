-- Plans of version 2 hold hits; what an analysis found is kept by what it was made from.
update plan set doc = doc || '{"version": 2, "hits": {}, "thresholds": {}}'::jsonb || jsonb_build_object('mics', (
  select coalesce(jsonb_object_agg(id, jsonb_set(jsonb_set(mic, '{treatment,gate}', '{"keyBy": "level", "hitMin": 0, "softDb": 0}'::jsonb || (mic #> '{treatment,gate}')), '{treatment,gaps}', '{}')), '{}')
  from jsonb_each(doc->'mics') as m(id, mic)))
where (doc->>'version')::int = 1;

create table analysis (
  key        text primary key,                  -- sha256 of sources, roles and the version of the analysis
  result     jsonb not null,
  created_at timestamptz not null default now(),
  used_at    timestamptz not null default now()
);

create table recording_analysis (
  recording_id uuid primary key references recording on delete cascade,
  key          text not null references analysis
);
