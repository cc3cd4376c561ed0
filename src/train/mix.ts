/**
 * npm run train -- --mix A B OUT [STAGE ...]: networks of crash and ride as the mean of two files' (of their outputs before the last squashing), for the stages named (first, second, third,
 * lone, few; all of them where none is); all else as in B. What was learnt from recordings of different makers errs less together than either.
 */
import { readFileSync, writeFileSync } from 'node:fs';
import type { Networks } from '../core/hits/detectHits';
import { FAR, type NetworkSet } from '../core/hits/passes';
import { average, inScaleOf } from './network';

const STAGES = ['first', 'second', 'third', 'lone', 'few'] as const;
type Stage = (typeof STAGES)[number];

function main() {
  const [a, b, out, ...asked] = process.argv.slice(2).filter((w) => !w.startsWith('--'));
  if (!a || !b || !out || asked.some((s) => !STAGES.includes(s as Stage))) throw new Error(`Say which two files to mix and which to write: npm run train -- --mix A B OUT [${STAGES.join(' | ')} ...]`);
  const [one, two] = [a, b].map((f) => JSON.parse(readFileSync(f, 'utf8')) as Networks);
  const mixed = (stage: Stage): NetworkSet => ({
    ...two[stage],
    ...Object.fromEntries(FAR.flatMap((k) => {
      const [x, y] = [one[stage][k], two[stage][k]];
      return x && y ? [[k, average([x, inScaleOf(x, y)])]] : [];
    })),
  });
  const stages = asked.length ? (asked as Stage[]) : STAGES;
  writeFileSync(out, `${JSON.stringify({ ...two, ...Object.fromEntries(stages.map((s) => [s, mixed(s)])) })}\n`);
}

main();
