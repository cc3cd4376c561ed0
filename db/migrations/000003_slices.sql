-- Plans of version 3 hold de-bleed, slices and tail damping of every mic, and how its drum rings in it.
update plan set doc = doc || '{"version": 3}'::jsonb || jsonb_build_object('mics', (
  select coalesce(jsonb_object_agg(id, jsonb_set(mic || '{"ring": null}'::jsonb, '{treatment}', (mic->'treatment') || '{
    "debleed": {"on": false, "depthDb": 40, "attackMs": 0},
    "slices": {"on": false, "cutBy": "hits", "hitMin": 0, "keepDoubtful": true, "openDb": -30, "closeDb": -45, "leadMs": 8, "clearLead": true, "tailBy": "natural", "ringDb": 50, "tailMs": 600, "endBefore": false, "bridgeMs": 60, "shortestMs": 30, "zeroMs": 1, "fadeInMs": 4, "fadeInCurve": "s", "fadeOutMs": 100, "fadeOutCurve": "late", "gapDb": 90},
    "sliceEdits": {}, "marks": [],
    "tail": {"on": false, "lowpassHz": 1000, "fullMs": 25, "closeMs": 60, "depthDb": 90, "softDb": 0, "duckDb": 0}}'::jsonb)), '{}')
  from jsonb_each(doc->'mics') as m(id, mic)))
where (doc->>'version')::int = 2;
