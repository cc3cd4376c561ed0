/** What a recording is called at first. */

/** Fewer files share a beginning by chance: "Kick In", "Kick Out". */
const ENOUGH_FILES = 3;
const NEW = 'New recording';
/** Fewer than the database takes, with room for a number. */
const LONGEST = 190;

/** The words that all file names begin with, as they stand there; '' where there are none. */
function sharedWords(files: readonly string[]): string {
  if (files.length < ENOUGH_FILES) return '';
  const [first, ...others] = files.map((f) => f.replace(/\.[a-z0-9]{2,4}$/i, ''));
  let n = 0;
  while (n < first.length && others.every((o) => o[n] === first[n])) n++;
  // whole words only, and no "01" of which only the zero is shared
  const words = first.slice(0, n).replace(/[^\s_.-]*$/, '');
  return words.replace(/_/g, ' ').replace(/[\s.-]+$/, '').trim();
}

/** By the folder, else by what all files begin with, where that is a word; with a number where the name is taken. */
export function nameFrom(folder: string | null, files: readonly string[], taken: readonly string[]): string {
  const shared = sharedWords(files);
  const name = (folder ?? (/\p{L}{2}/u.test(shared) ? shared : NEW)).slice(0, LONGEST);
  for (let n = 1; ; n++) {
    const free = n === 1 ? name : `${name} ${n}`;
    if (!taken.includes(free)) return free;
  }
}
