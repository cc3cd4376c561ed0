/**
 * What each mic of a kit may be. A role names a place; a close role belongs to one drum. Ids stand in plans, in role files of the
 * command line and in docs; they are permanent.
 */
export type RoleGroup = 'close' | 'overhead' | 'room' | 'other';

export interface Role {
  readonly id: string;
  readonly label: string;
  /** The drum a close mic belongs to. */
  readonly drum: string | null;
  readonly group: RoleGroup;
  /** Place in the stereo picture when first opened, -1 left to 1 right. */
  readonly pan: number;
}

const role = (id: string, label: string, drum: string | null, group: RoleGroup, pan = 0): Role => ({ id, label, drum, group, pan });

const TOM_PANS = [0.3, 0, -0.35, -0.45, -0.5, -0.55];

export const ROLES: readonly Role[] = [
  role('kick-in', 'Kick in', 'kick', 'close'),
  role('kick-out', 'Kick out', 'kick', 'close'),
  role('kick-sub', 'Kick sub', 'kick', 'close'),
  role('kick-2', 'Kick 2', 'kick-2', 'close'),
  role('kick-2-out', 'Kick 2 out', 'kick-2', 'close'),
  role('snare-top', 'Snare top', 'snare', 'close'),
  role('snare-bottom', 'Snare bottom', 'snare', 'close'),
  role('snare-side', 'Snare side', 'snare', 'close'),
  role('snare-2', 'Snare 2', 'snare-2', 'close', 0.3),
  role('snare-2-bottom', 'Snare 2 bottom', 'snare-2', 'close', 0.3),
  role('hat', 'Hat', 'hat', 'close', 0.35),
  ...TOM_PANS.map((pan, i) => role(`tom-${i + 1}`, `Tom ${i + 1}`, `tom-${i + 1}`, 'close', pan)),
  role('ride', 'Ride', 'ride', 'close', -0.4),
  role('crash', 'Crash', 'crash', 'close'),
  role('overhead-left', 'Overhead left', null, 'overhead', -1),
  role('overhead-right', 'Overhead right', null, 'overhead', 1),
  role('overhead', 'Overhead', null, 'overhead'),
  role('room-left', 'Room left', null, 'room', -1),
  role('room-right', 'Room right', null, 'room', 1),
  role('room', 'Room', null, 'room'),
  role('other', 'Other', null, 'other'),
];

const KIT_ORDER = [...new Set(ROLES.flatMap((r) => (r.drum ? [r.drum] : [])))];

/** Sorts drums in the order of the kit, cymbals last. */
export const byKit = (a: string, b: string): number => KIT_ORDER.indexOf(a) - KIT_ORDER.indexOf(b);

const BY_ID = new Map(ROLES.map((r) => [r.id, r]));

/** Of several mics of a drum the one of the lowest rank tells its strokes: in before out before sub, top before bottom. */
export const rankOf = (id: string): number => ROLES.findIndex((r) => r.id === id);

export const isRoleId = (id: string): boolean => BY_ID.has(id);

/** The role of an id; unknown ids count as "other". */
export const roleOf = (id: string): Role => BY_ID.get(id) ?? (BY_ID.get('other') as Role);
