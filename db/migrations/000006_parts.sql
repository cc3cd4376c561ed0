-- Plans of version 4 hold amounts by drum and a range for de-bleed, doubtful hits for gates, attack and note parts, closing low-passes, and a second treatment of every mic. What history
-- holds of whole treatments grows with them, so that it can still be undone.
create function pg_temp.grown_debleed(d jsonb) returns jsonb language sql immutable as $$
  select case when jsonb_typeof(d) = 'object' then '{"fromHz": 20, "toHz": 20000, "amounts": {}}'::jsonb || d else d end $$;
create function pg_temp.grown_gate(g jsonb) returns jsonb language sql immutable as $$
  select case when jsonb_typeof(g) = 'object' then '{"keepDoubtful": false}'::jsonb || g else g end $$;
create function pg_temp.grown_slices(s jsonb) returns jsonb language sql immutable as $$
  select case when jsonb_typeof(s) = 'object' then '{"ownDb": 34}'::jsonb || s else s end $$;
create function pg_temp.grown(t jsonb) returns jsonb language sql immutable as $$
  select case when jsonb_typeof(t) = 'object' then '{
    "parts": {"on": false, "attackMs": 40, "overMs": 40, "steadyDb": 0, "attackDb": 0, "noteDb": 0, "a1Hz": 100, "a1Db": 0, "a2Hz": 400, "a2Db": 0, "a2Q": 1, "a3Hz": 3000, "a3Db": 0, "a3Q": 1, "a4Hz": 8000, "a4Db": 0, "n1Hz": 100, "n1Db": 0, "n2Hz": 400, "n2Db": 0, "n2Q": 1, "n3Hz": 3000, "n3Db": 0, "n3Q": 1, "n4Hz": 8000, "n4Db": 0},
    "closings": {}}'::jsonb || t || jsonb_build_object('debleed', pg_temp.grown_debleed(t->'debleed'), 'gate', pg_temp.grown_gate(t->'gate'), 'slices', pg_temp.grown_slices(t->'slices')) else t end $$;

update plan set doc = doc || '{"version": 4}'::jsonb || jsonb_build_object('mics', (
  select coalesce(jsonb_object_agg(id, '{"second": null}'::jsonb || mic || jsonb_build_object('treatment', pg_temp.grown(mic->'treatment'))), '{}') from jsonb_each(doc->'mics') as m(id, mic)))
where (doc->>'version')::int = 3;

update plan_edit set edit = jsonb_set(edit, '{changes}', (
  select coalesce(jsonb_agg(case
    when c->'path'->>0 = 'mics' and c->'path'->>2 = 'treatment' and jsonb_array_length(c->'path') = 3 then c || jsonb_build_object('before', pg_temp.grown(c->'before'), 'after', pg_temp.grown(c->'after'))
    when c->'path'->>0 = 'mics' and c->'path'->>3 = 'debleed' and jsonb_array_length(c->'path') = 4 then c || jsonb_build_object('before', pg_temp.grown_debleed(c->'before'), 'after', pg_temp.grown_debleed(c->'after'))
    when c->'path'->>0 = 'mics' and c->'path'->>3 = 'gate' and jsonb_array_length(c->'path') = 4 then c || jsonb_build_object('before', pg_temp.grown_gate(c->'before'), 'after', pg_temp.grown_gate(c->'after'))
    when c->'path'->>0 = 'mics' and c->'path'->>3 = 'slices' and jsonb_array_length(c->'path') = 4 then c || jsonb_build_object('before', pg_temp.grown_slices(c->'before'), 'after', pg_temp.grown_slices(c->'after'))
    else c end order by n), '[]')
  from jsonb_array_elements(edit->'changes') with ordinality as x(c, n)))
where edit->'changes' @> '[{"path": ["mics"]}]'
  and exists (select from jsonb_array_elements(edit->'changes') as x(c) where c->'path'->>2 = 'treatment' and (jsonb_array_length(c->'path') = 3 or c->'path'->>3 in ('debleed', 'gate', 'slices')));

-- Settings saved under a name grow with them.
update named_settings set doc = doc || jsonb_build_object('gate', pg_temp.grown_gate(doc->'gate'), 'slices', pg_temp.grown_slices(doc->'slices'));

-- Images: what one drum adds to a mic, computed when it is asked for with the model that de-bleed learnt, which stays with the recording.
create table debleed_model (
  recording_id uuid primary key references recording on delete cascade,
  key          text not null,                   -- hash of the mics and roles it was learnt from
  model        bytea not null,
  created_at   timestamptz not null default now()
);
create table drum_image (
  recording_id uuid not null references recording on delete cascade,
  mic_id       text not null,
  source       text not null,                   -- a drum, or rest
  key          text not null,
  audio_id     bigint not null references audio,
  primary key (recording_id, mic_id, source)
);
create index drum_image_audio on drum_image (audio_id);
