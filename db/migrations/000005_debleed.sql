-- What de-bleed left of close mics: audio of its own, stored as any other, kept as long as its recording.
create table debled_mic (
  recording_id uuid not null references recording on delete cascade,
  mic_id       text not null,
  key          text not null,                   -- hash of the mics and roles it was made from
  audio_id     bigint not null references audio,
  share        real not null,                   -- how much of de-bleed was used, 0..1
  loss_db      real not null,                   -- what it would have taken of the drum's own loud strokes
  created_at   timestamptz not null default now(),
  primary key (recording_id, mic_id)
);
create index debled_mic_audio on debled_mic (audio_id);
