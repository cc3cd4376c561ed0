-- Where a file is digitally silent, by channel, so that nobody need read a whole recording to know which mics were cut. Of audio that was taken in before, nothing is known.
create table audio_silence (
  audio_id bigint not null references audio on delete cascade,
  channel  smallint not null,
  ended    jsonb not null,                      -- [[from, to], ...], frames, in order of time; without what is silent at the end
  last     bigint not null,                     -- where that begins, frames; the number of frames where there is none
  primary key (audio_id, channel)
);
