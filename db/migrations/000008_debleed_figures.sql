-- What de-bleed takes of a mic, told without a truth: by level against the raw mic in gaps, tails and attacks, dB. Null where there is no such place, and of what was computed before.
alter table debled_mic add column gaps_db real, add column tails_db real, add column attack_db real;
