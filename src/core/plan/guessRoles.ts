/**
 * Guesses every mic's role from the file names of one recording, in any common spelling and order: "04 Snare Bottom", "KIK_IN",
 * "sn top", "FT", "OHL", "Drums-Overheads.L". The names are read together: toms are numbered among each other, a floor tom comes last.
 */
import { isRoleId } from './roles';

export interface NamedChannel {
  /** File name, with or without ending. */
  readonly file: string;
  /** Channel in the file, from 0. */
  readonly channel: number;
  /** Channels in the file. */
  readonly channels: number;
}

type Side = 'left' | 'right' | null;
interface Reading {
  family: string;
  side: Side;
  /** For toms: place in the order of size, small first, and a number where the name has one. */
  order: number;
  number: number | null;
  tags: Set<string>;
}

/** Words as they stand in file names, after splitting; the first family that matches wins. */
const FAMILIES: readonly [string, RegExp][] = [
  ['other', /^(trig|trigs|trigger|triggers|triggered)$/],
  ['overhead', /^(oh|ohs|over|overs|overhead|overheads|cym|cymbals?|ovh|ovhd)$/],
  ['room', /^(room|rooms|rm|rms|amb|ambience|ambient|ambi|far|hall|mono)$/],
  ['hat', /^(hat|hats|hh|hihat|hihats|hi-hat|hit?hat|hhat|highhat)$/],
  ['ride', /^(ride|rd|ridecym)$/],
  ['crash', /^(crash|crsh|cr|splash|china)$/],
  ['tom', /^(tom|toms|tm|[fhlmr]tom|racktom|floortom|rack|floor|flr|ft|rt|t)$/],
  ['snare', /^(snare|snr|sn|sd|snaredrum)$/],
  ['kick', /^(kick|kik|kck|kk|bd|bassdrum|kd|kickdrum|subkick|sub|k)$/],
];

/** Words that name a family only where nothing clearer stands. */
const VAGUE = /^(cym|cymbals?|over|mono|t)$/;
/** Single letters that name a drum only before such a word. */
const LETTERS: Readonly<Record<string, RegExp>> = { t: /^\d+$/, k: /^(in|out|sub|\d+)$/ };

const SIDES: Record<string, Side> = { l: 'left', left: 'left', lt: 'left', lft: 'left', r: 'right', right: 'right', rgt: 'right' };

/** Splits a name into lower-case words: at signs, at digits, at capitals, and sides stuck to known words (OHL, RoomR). */
function words(file: string): string[] {
  const base = file
    .replace(/^.*[\\/]/, '')
    .replace(/\.(wav|wave|bwf|w64|rf64|aif+|flac)$/i, '')
    // "03b" is a place in the list, as "03" is
    .replace(/^(\d+)[a-z](?=[\s_-])/i, '$1')
    .replace(/hi[\s_-]*hats?/gi, ' hihat ')
    .replace(/bass[\s_-]*drum/gi, ' kick ')
    .replace(/over[\s_-]*heads?/gi, ' overhead ')
    .replace(/side[\s_-]*snare/gi, ' sidesnare snare ')
    .replace(/\b2nd\b/gi, ' second ');
  return base
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/([A-Za-z])(\d)/g, '$1 $2')
    .replace(/(\d)([A-Za-z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter(Boolean)
    .flatMap((w) => {
      const stuck = /^(oh|ohs|overheads?|rooms?|rm|amb|hh)(l|r)$/.exec(w);
      if (stuck) return [stuck[1], stuck[2]];
      const inside = /^(kick|kik|kk|bd|snare|snr|sn|sd)(in|out|sub|top|bot|bottom|btm|up|dn|down|t|b|l|r)$/.exec(w);
      return inside ? [inside[1], inside[2]] : [w];
    });
}

/** A leading number is the place in the list of files, not the number of a tom. */
const unnumbered = (w: readonly string[]): readonly string[] => (w.length > 1 && /^\d+$/.test(w[0]) ? w.slice(1) : w);

/** From so many files on a beginning that all share may be the song's name. */
const ENOUGH_FILES = 3;

/** The words of every name; what all begin with is left out where that tells more kinds of mics apart: "Crash Landing - Kick", "Crash Landing - Snare". */
function wordsOfAll(channels: readonly NamedChannel[]): (readonly string[])[] {
  const all = channels.map((c) => unnumbered(words(c.file)));
  if (new Set(channels.map((c) => c.file)).size < ENOUGH_FILES) return all;
  const shared = all[0].findIndex((x, i) => all.some((w) => w[i] !== x || w.length === i + 1));
  const rest = all.map((w) => unnumbered(w.slice(Math.max(0, shared))));
  const kinds = (list: readonly (readonly string[])[]) => new Set(list.map(familyOf).filter((family) => family !== 'other')).size;
  return kinds(rest) > kinds(all) ? rest : all;
}

function familyOf(body: readonly string[]): string {
  let family = 'other';
  let at = -1;
  for (const [name, pattern] of FAMILIES) {
    const i = body.findIndex((x) => pattern.test(x));
    if (i < 0 || (LETTERS[body[i]] && !LETTERS[body[i]].test(body[i + 1] ?? ''))) continue;
    family = name;
    at = i;
    break;
  }
  // "Ride Cym", "Snare Over", "Tom Mono", "T1 Snare": what is clearer says more
  if (VAGUE.test(body[at] ?? '')) {
    const clearer = FAMILIES.find(([n, p]) => n !== family && body.some((x) => p.test(x) && !VAGUE.test(x) && !LETTERS[x]));
    if (clearer) family = clearer[0];
  }
  return family;
}

function read(c: NamedChannel, body: readonly string[]): Reading {
  const tags = new Set(body);
  const family = familyOf(body);
  let side: Side = null;
  for (const x of body) side = SIDES[x] ?? side;
  if (c.channels === 2) side = c.channel === 0 ? 'left' : 'right';
  const digits = family === 'tom' ? body.find((x, i) => i > 0 && /^(\d|1\d|20)$/.test(x)) : undefined;
  const floor = ['floor', 'flr', 'ft', 'low', 'lo', 'floortom', 'ftom', 'ltom'].some((x) => tags.has(x));
  const high = ['hi', 'high', 'small', 'rack', 'rt', 'racktom', 'htom', 'rtom'].some((x) => tags.has(x));
  const order = floor ? 3 : ['mid', 'med', 'mtom'].some((x) => tags.has(x)) ? 2 : high ? 1 : 1.5;
  return { family, side, order, number: digits ? Number(digits) : null, tags };
}

/** What a second snare is called. */
const SECOND = ['aux', 'auxiliary', 'second', 'piccolo', 'sidesnare'];

/**
 * Mics of a second bass drum or a second snare: those at the right where there are some at the left, and what is called so. "Kick 1" and "Kick 2" are mostly two mics of one drum and stay that.
 * The channels of one stereo file are one drum's.
 */
function secondsAmong(readings: readonly Reading[], channels: readonly NamedChannel[]): ReadonlySet<Reading> {
  const twoOf = (family: string) => ['left', 'right'].every((side) => readings.some((r, i) => r.family === family && r.side === side && channels[i].channels !== 2));
  return new Set(readings.filter((r, i) => (r.family === 'kick' || r.family === 'snare') && channels[i].channels !== 2 && (SECOND.some((x) => r.tags.has(x)) || (r.side === 'right' && twoOf(r.family)))));
}

const BOTTOM = ['bottom', 'bot', 'btm', 'under', 'und', 'dn', 'down', 'b', 'wires'];

/** Role ids, one for each given channel, in the given order; "other" where nothing fits. */
export function guessRoles(channels: readonly NamedChannel[]): string[] {
  const bodies = wordsOfAll(channels);
  const readings = channels.map((c, i) => read(c, bodies[i]));
  const seconds = secondsAmong(readings, channels);
  const out = readings.map((r): string => {
    switch (r.family) {
      case 'kick': {
        const out = ['out', 'outside', 'front', 'reso', 'resonant', 'ext', 'o'].some((x) => r.tags.has(x));
        if (seconds.has(r)) return out ? 'kick-2-out' : 'kick-2';
        if (r.tags.has('sub') || r.tags.has('subkick')) return 'kick-sub';
        return out ? 'kick-out' : 'kick-in';
      }
      case 'snare': {
        const bottom = BOTTOM.some((x) => r.tags.has(x));
        if (seconds.has(r)) return bottom ? 'snare-2-bottom' : 'snare-2';
        if (r.tags.has('side') || r.tags.has('shell')) return 'snare-side';
        return bottom ? 'snare-bottom' : 'snare-top';
      }
      case 'overhead':
      case 'room':
        return r.side ? `${r.family}-${r.side}` : r.family;
      default:
        return r.family;
    }
  });
  // toms: by their numbers where each has one of its own; else floor toms last, those with numbers by them, the others by size behind the ones before them
  const toms = readings.map((r, i) => ({ r, i })).filter(({ r }) => r.family === 'tom');
  const numbers = new Map(toms.map(({ r, i }) => [channels[i].file, r.number]));
  // larger numbers are inches, or places in a list: a floor tom stays the last
  const numbered = toms.every(({ r }) => r.number !== null && r.number < 10) && new Set(numbers.values()).size === numbers.size;
  toms.sort((a, b) => {
    const floors = numbered ? 0 : Number(a.r.order === 3) - Number(b.r.order === 3);
    return floors || (a.r.number ?? 99) - (b.r.number ?? 99) || a.r.order - b.r.order || a.i - b.i;
  });
  // channels of one stereo file, and files that carry the same floor or number, share one tom
  let n = 0;
  let last = '';
  for (const { r, i } of toms) {
    const same = `${channels[i].file}`;
    if (same !== last) n++;
    last = same;
    out[i] = isRoleId(`tom-${n}`) ? `tom-${n}` : 'other';
    if (r.tags.has('overhead')) out[i] = 'overhead';
  }
  return out;
}
