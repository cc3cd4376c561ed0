/** What a recording is called at first. */
import { sharedBeginning } from '../../core/plan/fileNames';

const NEW = 'New recording';
/** Fewer than the database takes, with room for a number. */
const LONGEST = 190;

/** The words that all file names begin with, as they stand there; '' where there are none. */
const sharedWords = (files: readonly string[]): string => sharedBeginning(files).replace(/_/g, ' ').replace(/[\s.-]+$/, '').trim();

/** By the folder, else by what all files begin with, where that is a word; with a number where the name is taken. */
export function nameFrom(folder: string | null, files: readonly string[], taken: readonly string[]): string {
  const shared = sharedWords(files);
  const name = (folder ?? (/\p{L}{2}/u.test(shared) ? shared : NEW)).slice(0, LONGEST);
  for (let n = 1; ; n++) {
    const free = n === 1 ? name : `${name} ${n}`;
    if (!taken.includes(free)) return free;
  }
}
