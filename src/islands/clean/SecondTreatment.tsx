/** Two treatments of one mic: one in use, the other put aside, changed over in a moment to compare. */
import { ArrowLeftRight, Copy, X } from 'lucide-react';
import { changeOver, dropSecond, putAside } from '../../core/plan/second';
import { commit, focusedMic, useBench } from '../workbench/store';
import { treatmentWords } from '../workbench/treatmentWords';

const button = 'flex h-7 items-center gap-1.5 whitespace-nowrap border border-line2 bg-sheet px-2 text-sm font-semibold hover:border-ink';

export function SecondTreatment() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  if (!mic || !plan) return null;
  const base = () => useBench.getState().base ?? plan;
  if (!mic.second) {
    return (
      <button type="button" className={`${button} w-7 shrink-0 justify-center rounded-[7px] !px-0`} title="Puts a copy of this treatment aside: change this one and compare (Shift+V)" aria-label="Put a copy of the treatment aside" onClick={() => commit(putAside(base(), focus))}>
        <Copy aria-hidden="true" size={13} />
      </button>
    );
  }
  const other = treatmentWords(plan, { ...mic, treatment: mic.second });
  return (
    <span className="flex">
      <button type="button" className={`${button} rounded-l-[7px]`} title={`Now: ${treatmentWords(plan, mic)}. Aside: ${other}. Changes over (Shift+V)`} onClick={() => commit(changeOver(base(), focus))}>
        <ArrowLeftRight aria-hidden="true" size={13} /> Other
      </button>
      <button type="button" className={`${button} -ml-px rounded-r-[7px] px-1`} title="Forgets the treatment that was put aside" aria-label="Forget the other treatment" onClick={() => commit(dropSecond(base(), focus))}>
        <X aria-hidden="true" size={13} />
      </button>
    </span>
  );
}
