/** What file names tell beside roles. */

/** Fewer files share a beginning by chance: "Kick In", "Kick Out". */
const ENOUGH_FILES = 3;

/** A file's name without its extension. */
export const stemOf = (file: string): string => file.replace(/\.[a-z0-9]{2,4}$/i, '');

/** The order in which people number files: "Tom 2" before "Tom 10", "Kick" before "Kick 2". */
export const byFileName = (a: string, b: string): number => stemOf(a).localeCompare(stemOf(b), 'en', { numeric: true }) || a.localeCompare(b, 'en');

/** What all these names begin with, up to the last whole word: "Low_Tide_" of "Low_Tide_Kick.wav", "Low_Tide_Snare.wav", "Low_Tide_OH.wav"; '' for fewer than three. */
export function sharedBeginning(files: readonly string[]): string {
  if (files.length < ENOUGH_FILES) return '';
  const [first, ...others] = files.map(stemOf);
  let n = 0;
  while (n < first.length && others.every((o) => o[n] === first[n])) n++;
  // no "01" of which only the zero is shared
  return first.slice(0, n).replace(/[^\s_.-]*$/, '');
}
