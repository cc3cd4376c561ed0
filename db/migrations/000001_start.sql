-- Recordings, their audio, plans with history, jobs. Forward only.

create table recording (
  id          uuid primary key default gen_random_uuid(),
  name        text not null check (length(name) between 1 and 200),
  sample_rate integer,                          -- Hz; null until the first file is in
  frames      bigint not null default 0,        -- of the longest file
  is_demo     boolean not null default false,
  created_at  timestamptz not null default now()
);
create unique index recording_one_demo on recording (is_demo) where is_demo;

-- One audio file's PCM, addressed by its content: the same audio is stored once, whichever recordings use it.
create table audio (
  id              bigint generated always as identity primary key,
  content         text not null unique,         -- sha256 of format and bytes
  encoding        text not null check (encoding in ('pcm16', 'pcm24', 'pcm32', 'float32')),
  channels        smallint not null check (channels in (1, 2)),
  sample_rate     integer not null,
  frames          bigint not null,
  bytes_per_frame smallint not null,
  created_at      timestamptz not null default now()
);

-- Interleaved bytes as they stood in the file, 65,536 frames a chunk; the last may be shorter.
create table audio_chunk (
  audio_id bigint not null references audio on delete cascade,
  seq      integer not null,
  data     bytea not null,
  primary key (audio_id, seq)
);
alter table audio_chunk alter column data set storage external;

-- Minimum and maximum per bin, float32 pairs, for drawing. Level 0 has 256 frames a bin, each next level four times as many.
create table peak (
  audio_id bigint not null references audio on delete cascade,
  channel  smallint not null,
  level    smallint not null,
  data     bytea not null,
  primary key (audio_id, channel, level)
);
alter table peak alter column data set storage external;

create table source_file (
  id           bigint generated always as identity primary key,
  recording_id uuid not null references recording on delete cascade,
  name         text not null check (length(name) between 1 and 200),
  position     integer not null,
  audio_id     bigint not null references audio,
  head         bytea not null,                  -- bytes before and after the audio, as they stood in the file
  tail         bytea not null,
  extras       bytea not null,                  -- chunks to keep beside changed audio: bext, cue, LIST, iXML
  created_at   timestamptz not null default now(),
  unique (recording_id, name)
);
create index source_file_audio on source_file (audio_id);

create table mic (
  recording_id uuid not null references recording on delete cascade,
  id           text not null,
  file_id      bigint not null references source_file on delete cascade,
  channel      smallint not null,
  primary key (recording_id, id)
);

create table plan (
  recording_id uuid primary key references recording on delete cascade,
  doc          jsonb not null,
  revision     bigint not null default 1,
  cursor       integer not null default 0       -- edits done; those behind it may be redone
);

create table plan_edit (
  recording_id uuid not null references recording on delete cascade,
  seq          integer not null,                -- from 1
  edit         jsonb not null,
  created_at   timestamptz not null default now(),
  primary key (recording_id, seq)
);

create table job (
  id           uuid primary key default gen_random_uuid(),
  recording_id uuid references recording on delete cascade,
  kind         text not null,
  input        jsonb not null,
  state        text not null default 'queued' check (state in ('queued', 'running', 'done', 'failed', 'cancelled')),
  attempt      integer not null default 0,      -- the fence: every write of a worker names the attempt it was given
  lease_until  timestamptz,
  progress     real not null default 0,
  note         text not null default '',
  result       jsonb,
  error        jsonb,
  created_at   timestamptz not null default now(),
  updated_at   timestamptz not null default now()
);
create index job_waiting on job (created_at) where state in ('queued', 'running');

-- A cleaned file, cached by the hash of everything that went into it; the bytes lie in render_chunk.
create table render (
  key        text primary key,
  encoding   text not null,
  bytes      bigint not null,
  clipped    bigint not null default 0,
  created_at timestamptz not null default now(),
  used_at    timestamptz not null default now()
);

create table render_chunk (
  key  text not null references render on delete cascade,
  seq  integer not null,
  data bytea not null,
  primary key (key, seq)
);
alter table render_chunk alter column data set storage external;
