-- Plans of version 6 hold how loud hits may be that open a gate. What history holds of whole treatments grows with them, so that it can still be undone.
create or replace function pg_temp.grown_gate(g jsonb) returns jsonb language sql immutable as $$
  select case when jsonb_typeof(g) = 'object' then '{"hitMax": 100}'::jsonb || g else g end $$;
create or replace function pg_temp.grown(t jsonb) returns jsonb language sql immutable as $$
  select case when jsonb_typeof(t) = 'object' then t || jsonb_build_object('gate', pg_temp.grown_gate(t->'gate')) else t end $$;

update plan set doc = doc || '{"version": 6}'::jsonb || jsonb_build_object('mics', (
  select coalesce(jsonb_object_agg(id, mic || jsonb_build_object('treatment', pg_temp.grown(mic->'treatment'), 'second', pg_temp.grown(mic->'second'))), '{}') from jsonb_each(doc->'mics') as m(id, mic)))
where (doc->>'version')::int = 5;

update plan_edit set edit = jsonb_set(edit, '{changes}', (
  select coalesce(jsonb_agg(case
    when c->'path'->>0 = 'mics' and c->'path'->>2 in ('treatment', 'second') and jsonb_array_length(c->'path') = 3 then c || jsonb_build_object('before', pg_temp.grown(c->'before'), 'after', pg_temp.grown(c->'after'))
    when c->'path'->>0 = 'mics' and c->'path'->>2 = 'treatment' and c->'path'->>3 = 'gate' and jsonb_array_length(c->'path') = 4 then c || jsonb_build_object('before', pg_temp.grown_gate(c->'before'), 'after', pg_temp.grown_gate(c->'after'))
    else c end order by n), '[]')
  from jsonb_array_elements(edit->'changes') with ordinality as x(c, n)))
where edit->'changes' @> '[{"path": ["mics"]}]'
  and exists (select from jsonb_array_elements(edit->'changes') as x(c) where (c->'path'->>2 in ('treatment', 'second') and jsonb_array_length(c->'path') = 3) or (c->'path'->>3 = 'gate' and jsonb_array_length(c->'path') = 4));

-- Settings saved under a name grow with them.
update named_settings set doc = doc || jsonb_build_object('gate', pg_temp.grown_gate(doc->'gate'));
