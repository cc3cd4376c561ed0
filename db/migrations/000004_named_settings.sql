-- Settings that a person saved under a name, for any recording.
create table named_settings (
  name       text primary key check (length(name) between 1 and 60),
  doc        jsonb not null,
  created_at timestamptz not null default now()
);
