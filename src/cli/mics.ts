/** Mics of a folder for the analysis commands: roles by file name or by a roles file, samples read whole, one mic at a time. */
import { readFile } from 'node:fs/promises';
import { roomFor } from '../core/dsp/room';
import { FreshGapError } from '../core/errors';
import { guessRoles } from '../core/plan/guessRoles';
import type { MicReader } from '../core/render';
import type { MicSource } from '../core/plan/plan';
import { ROLES, isRoleId, roleOf } from '../core/plan/roles';
import { kitMic } from '../core/spill/ownImages';
import { type Uncut, uncut } from '../core/spill/uncut';
import { type WavFile, openFolder } from './wavFile';

export interface FolderMics {
  readonly rate: number;
  readonly frames: number;
  readonly roles: readonly string[];
  readonly names: readonly string[];
  readonly files: readonly string[];
  /** As a plan takes them. */
  readonly sources: readonly MicSource[];
  read(mic: number): Promise<Float32Array>;
  reader(mic: number): MicReader;
  /** All of them as they would be had nobody cut them. */
  uncut(): Promise<Uncut>;
  close(): Promise<void>;
}

async function readRoles(path: string, files: readonly WavFile[]): Promise<Record<string, string>> {
  let raw: unknown;
  try {
    raw = JSON.parse(await readFile(path, 'utf8'));
  } catch {
    throw new FreshGapError('CLI_ROLES', `${path} cannot be read as JSON.`);
  }
  if (typeof raw !== 'object' || raw === null || Array.isArray(raw)) throw new FreshGapError('CLI_ROLES', `${path} holds no object.`);
  for (const [file, role] of Object.entries(raw)) {
    if (!files.some((f) => f.name === file)) throw new FreshGapError('CLI_ROLES', `${path} names ${file}, which is not in the folder.`);
    if (typeof role !== 'string' || !isRoleId(role)) throw new FreshGapError('CLI_ROLES', `${path}: ${String(role)} is no role. Roles are ${ROLES.map((r) => r.id).join(', ')}.`);
  }
  return raw as Record<string, string>;
}

/** A stereo file gives two mics; a given role for it counts for both sides (left and right where the role has sides). */
export async function openMics(folder: string, rolesFile?: string): Promise<FolderMics> {
  const files = await openFolder(folder);
  try {
    const channels = files.flatMap((f) => Array.from({ length: f.info.channels }, (_, channel) => ({ file: f.name, channel, channels: f.info.channels })));
    const guessed = guessRoles(channels);
    const given = rolesFile ? await readRoles(rolesFile, files) : {};
    const roles = channels.map((c, i) => {
      const role = given[c.file];
      if (!role) return guessed[i];
      const side = `${role}-${c.channel === 0 ? 'left' : 'right'}`;
      return c.channels === 2 && isRoleId(side) ? side : role;
    });
    const frames = Math.max(...files.map((f) => f.info.frames));
    const readerOf = (mic: number) => {
      const c = channels[mic];
      return (files.find((f) => f.name === c.file) as WavFile).reader(c.channel);
    };
    let heard: Promise<Uncut> | null = null;
    return {
      rate: files[0].info.rate,
      frames,
      roles,
      names: channels.map((c, i) => (c.channels === 2 ? `${c.file} ${c.channel === 0 ? 'left' : 'right'}` : `${c.file} (${roleOf(roles[i]).label})`)),
      files: channels.map((c) => c.file),
      sources: channels.map((c) => ({ ...c, frames: files.find((f) => f.name === c.file)?.info.frames ?? 0 })),
      async read(mic) {
        const out = roomFor(frames);
        await readerOf(mic).read(0, out);
        return out;
      },
      reader: readerOf,
      uncut: () => (heard ??= uncut(files[0].info.rate, frames, channels.map((_, m) => readerOf(m)), roles.map(kitMic))),
      close: async () => {
        await Promise.all(files.map((f) => f.close()));
      },
    };
  } catch (e) {
    await Promise.all(files.map((f) => f.close()));
    throw e;
  }
}
