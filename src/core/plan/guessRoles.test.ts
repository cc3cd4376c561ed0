import { describe, expect, it } from 'vitest';
import { guessRoles } from './guessRoles';
import { ROLES, isRoleId } from './roles';

const guess = (...files: string[]) => guessRoles(files.map((file) => ({ file, channel: 0, channels: 1 })));

describe('roles from file names', () => {
  it.each([
    ['01 Kick In.wav', 'kick-in'], ['KIK.wav', 'kick-in'], ['kick_out.WAV', 'kick-out'], ['BD outside.wav', 'kick-out'], ['Bass Drum In_01.wav', 'kick-in'],
    ['KickIn.wav', 'kick-in'], ['KickSub_03.wav', 'kick-sub'], ['02-kk-in.wav', 'kick-in'], ['kickout.wav', 'kick-out'],
    ['Kick Reso.wav', 'kick-out'], ['Kick_Ext.wav', 'kick-out'], ['Sub.wav', 'kick-sub'], ['Sub Kick.wav', 'kick-sub'], ['K IN.wav', 'kick-in'], ['T1 Kick In.wav', 'kick-in'], ['Kick Mono.wav', 'kick-in'],
    ['Snare Over.wav', 'snare-top'], ['Snare Und.wav', 'snare-bottom'], ['HHat.wav', 'hat'], ['Ride Cym.wav', 'ride'], ['Crash Cymbal.wav', 'crash'], ['Cymbals L.wav', 'overhead-left'], ['Over R.wav', 'overhead-right'],
    ['Kick Trig.wav', 'other'], ['Snare Trigger.wav', 'other'], ['Vitamin K.wav', 'other'],
    ['SN TOP.wav', 'snare-top'], ['snr_btm.wav', 'snare-bottom'], ['Snare.wav', 'snare-top'], ['04 Snare Bottom.wav', 'snare-bottom'], ['SnareBot.wav', 'snare-bottom'],
    ['sd under.wav', 'snare-bottom'], ['Snare-Side-1.wav', 'snare-side'], ['snare_dn.wav', 'snare-bottom'], ['SNTOP.wav', 'snare-top'],
    ['HH.wav', 'hat'], ['Hi-Hat.wav', 'hat'], ['hihat_05.wav', 'hat'], ['05 Hat.wav', 'hat'], ['Hi Hats.wav', 'hat'],
    ['Ride.wav', 'ride'], ['RD.wav', 'ride'], ['crash L.wav', 'crash'],
    ['OHL.wav', 'overhead-left'], ['OH_R.wav', 'overhead-right'], ['Overhead Left.wav', 'overhead-left'], ['08 Overheads R.wav', 'overhead-right'], ['OH.wav', 'overhead'],
    ['Drums-OverHeads.L.wav', 'overhead-left'], ['ohs_right.wav', 'overhead-right'],
    ['Room L.wav', 'room-left'], ['RoomR_11.wav', 'room-right'], ['rm-l.wav', 'room-left'], ['Mono Room.wav', 'room'], ['amb far.wav', 'room'], ['11 room right.wav', 'room-right'],
    ['Talkback.wav', 'other'], ['Bass DI.wav', 'other'], ['click.wav', 'other'],
  ])('%s is %s', (file, role) => {
    expect(guess(file)).toEqual([role]);
  });

  it('numbers toms among each other, the floor tom last, in any order of files', () => {
    expect(guess('06 Tom 1.wav', '07 Tom 2.wav', '08 Tom 3.wav')).toEqual(['tom-1', 'tom-2', 'tom-3']);
    expect(guess('FT.wav', 'Rack Tom.wav')).toEqual(['tom-2', 'tom-1']);
    expect(guess('Floor Tom.wav', 'Tom 2.wav', 'Tom 1.wav')).toEqual(['tom-3', 'tom-2', 'tom-1']);
    expect(guess('tom_low.wav', 'tom_hi.wav', 'tom_mid.wav')).toEqual(['tom-3', 'tom-1', 'tom-2']);
    expect(guess('T1.wav', 'T2.wav', 'T3.wav')).toEqual(['tom-1', 'tom-2', 'tom-3']);
    expect(guess('06_Tom1.wav', '07_Tom2_Floor.wav')).toEqual(['tom-1', 'tom-2']);
    // a number of its own says more than "floor"
    expect(guess('Tom 1.wav', 'Tom 3 Floor.wav', 'Tom 2.wav', 'Tom 4.wav')).toEqual(['tom-1', 'tom-3', 'tom-2', 'tom-4']);
    expect(guess('Floor 1.wav', 'Rack 1.wav', 'Rack 2.wav', 'Floor 2.wav')).toEqual(['tom-3', 'tom-1', 'tom-2', 'tom-4']);
    expect(guess('FTom.wav', 'HTom.wav', 'MTom.wav')).toEqual(['tom-3', 'tom-1', 'tom-2']);
    // by their sizes in inches
    expect(guess('Tom 10.wav', 'Tom 16.wav', 'Tom 8.wav')).toEqual(['tom-2', 'tom-3', 'tom-1']);
    expect(guess('Floor Tom_12.wav', 'Rack Tom_13.wav')).toEqual(['tom-2', 'tom-1']);
    expect(guess('Tom.wav')).toEqual(['tom-1']);
  });

  it('reads all names of one recording together', () => {
    expect(guess('KIK IN_01.wav', 'KIK OUT_01.wav', 'SN TOP_01.wav', 'SN BOT_01.wav', 'HH_01.wav', 'RT_01.wav', 'FT_01.wav', 'OHL_01.wav', 'OHR_01.wav', 'RML_01.wav', 'RMR_01.wav')).toEqual([
      'kick-in', 'kick-out', 'snare-top', 'snare-bottom', 'hat', 'tom-1', 'tom-2', 'overhead-left', 'overhead-right', 'room-left', 'room-right',
    ]);
  });

  it('leaves out a song\'s name that all begin with', () => {
    expect(guess('Crash Landing - Kick In.wav', 'Crash Landing - Snare Top.wav', 'Crash Landing - Tom 1.wav', 'Crash Landing - Talkback.wav')).toEqual(['kick-in', 'snare-top', 'tom-1', 'other']);
    expect(guess('01 Floor It_Kick.wav', '02 Floor It_HH.wav', '03 Floor It_Floor Tom.wav', '04 Floor It_Rack Tom.wav')).toEqual(['kick-in', 'hat', 'tom-2', 'tom-1']);
    expect(guess('TakeTheRide 01 Kick.wav', 'TakeTheRide 02 Ride.wav', 'TakeTheRide 03 OHL.wav')).toEqual(['kick-in', 'ride', 'overhead-left']);
    // not what tells what they are
    expect(guess('Snare Top.wav', 'Snare Bottom.wav', 'Snare Side.wav')).toEqual(['snare-top', 'snare-bottom', 'snare-side']);
    expect(guess('Kick In.wav', 'Kick Out.wav', 'Kick Sub.wav')).toEqual(['kick-in', 'kick-out', 'kick-sub']);
    expect(guess('Kick.wav', 'Kick.wav', 'Kick.wav')).toEqual(['kick-in', 'kick-in', 'kick-in']);
  });

  it('tells two bass drums and two snares from two mics of one', () => {
    expect(guess('Kick L.wav', 'Kick R.wav', 'Snare.wav')).toEqual(['kick-in', 'kick-2', 'snare-top']);
    expect(guess('KickL_In.wav', 'KickL_Out.wav', 'KickR_In.wav', 'KickR_Out.wav')).toEqual(['kick-in', 'kick-out', 'kick-2', 'kick-2-out']);
    expect(guess('01 Snare Top.wav', '02 Snare Bot.wav', '03 Side Snare.wav', '04 Side Snare Bot.wav')).toEqual(['snare-top', 'snare-bottom', 'snare-2', 'snare-2-bottom']);
    expect(guess('Snare.wav', 'Aux Snare.wav', '2nd Kick.wav', 'Kick.wav')).toEqual(['snare-top', 'snare-2', 'kick-2', 'kick-in']);
    // numbered ones, and a lone one that names a side, are mics of one drum; so is a stereo file
    expect(guess('Kick 1.wav', 'Kick 2.wav', 'Snare 1.wav', 'Snare 2.wav')).toEqual(['kick-in', 'kick-in', 'snare-top', 'snare-top']);
    expect(guess('Kick R.wav')).toEqual(['kick-in']);
    expect(guessRoles([0, 1].map((channel) => ({ file: 'Kick.wav', channel, channels: 2 })))).toEqual(['kick-in', 'kick-in']);
    expect(guess('03b Snare.wav', '03 B Snare.wav')).toEqual(['snare-top', 'snare-bottom']);
    // a mic at the shell is no second snare
    expect(guess('Snare Top.wav', 'Snare Side.wav')).toEqual(['snare-top', 'snare-side']);
  });

  it('gives the channels of a stereo file their sides', () => {
    const stereo = (file: string) => [0, 1].map((channel) => ({ file, channel, channels: 2 }));
    expect(guessRoles([...stereo('Overheads.wav'), ...stereo('Room.wav')])).toEqual(['overhead-left', 'overhead-right', 'room-left', 'room-right']);
  });

  it('only ever answers with roles there are', () => {
    const many = Array.from({ length: 12 }, (_, i) => `Tom ${i + 1}.wav`);
    for (const r of guess(...many)) expect(isRoleId(r)).toBe(true);
    expect(new Set(ROLES.map((r) => r.id)).size).toBe(ROLES.length);
  });
});
