/** The doubtful hits, worst first, and what to do with them; by keyboard alone where one likes. */
import { useEffect, useRef } from 'react';
import type { Plan } from '../../core/plan/plan';
import { Glyph } from '../shared/Glyph';
import { formatTime } from '../shared/time';
import { useBench } from '../workbench/store';
import { GIVE_KEYS, choose, doubtful, drumLabel, drumsOf, give, hear, hearNext, hitOf, keep, keyOf, reject, targets } from './hitsState';

export function Queue() {
  const plan = useBench((s) => s.plan) as Plan;
  const ref = useBench((s) => s.hit);
  const picked = useBench((s) => s.picked);
  const list = useRef<HTMLUListElement>(null);
  const queue = doubtful(plan);
  const hit = hitOf(plan, ref);
  const many = picked.size;
  const key = hit ? keyOf(hit) : '';
  const drums = drumsOf(plan);
  useEffect(() => {
    list.current?.querySelector(`[data-hit="${key}"]`)?.scrollIntoView({ block: 'nearest' });
  }, [key]);
  const state = { found: 'found', confirmed: 'kept by hand', rejected: 'not a hit', added: 'added by hand' } as const;
  const none = targets(useBench.getState()).length === 0;
  return (
    <aside aria-label="In doubt" className="flex min-h-0 flex-col border-l border-line">
      <header className="flex items-baseline gap-2 px-4 py-2.5">
        <h2 className="font-head text-base font-bold">In doubt</h2>
        <span className="text-sm text-ink2">least sure first</span>
        <span className="num ml-auto text-sm text-ink2" data-testid="doubt-count">
          {queue.length}
        </span>
      </header>
      <ul ref={list} className="min-h-0 flex-1 overflow-y-auto border-y border-line">
        {queue.length === 0 && <li className="px-4 py-6 text-ink2">Nothing is in doubt. Turn a drum's keenness to look further.</li>}
        {queue.map((h) => {
          const on = keyOf(h) === key;
          return (
            <li key={keyOf(h)} data-hit={keyOf(h)} className={`border-b border-line ${on ? 'bg-ink text-paper' : 'hover:bg-soft'}`}>
              <button type="button" aria-current={on} className="flex w-full items-center gap-2.5 px-4 py-1.5 text-left" onClick={() => choose(h)}>
                <span className={on ? 'brightness-[2.2]' : ''}>
                  <Glyph role={h.drum} />
                </span>
                <span className="w-14">{drumLabel(h.drum)}</span>
                <span className="num text-sm">{formatTime(h.frame / plan.sampleRate)}</span>
                <span className="num ml-auto text-sm">{Math.round(100 * h.certainty)} %</span>
              </button>
            </li>
          );
        })}
      </ul>
      <div className="flex flex-col gap-2 p-3">
        <p className="min-h-[34px] text-sm text-ink2" aria-live="polite">
          {many > 0 ? (
            <>
              <b className="text-ink">{many} selected.</b> What you do counts for all of them.
            </>
          ) : hit ? (
            <>
              <b className="text-ink">
                {drumLabel(hit.drum)} at {formatTime(hit.frame / plan.sampleRate)}
              </b>
              <br />
              strength {Math.round(100 * hit.strength)} %, {state[hit.state]}
              {hit.state === 'found' && `, ${Math.round(100 * hit.certainty)} % certain`}
            </>
          ) : (
            'Choose a hit in the list or on the map.'
          )}
        </p>
        <div className="grid grid-cols-2 gap-2">
          <button type="button" disabled={none} className="btn btn-ink justify-between" onClick={keep}>
            Keep <kbd className="kbd text-ink">Enter</kbd>
          </button>
          <button type="button" disabled={none} className="btn justify-between" onClick={reject}>
            Not a hit <kbd className="kbd">X</kbd>
          </button>
          <button type="button" disabled={!hit} className="btn justify-between" onClick={() => hear('owner')}>
            Hear own <kbd className="kbd">H</kbd>
          </button>
          <button type="button" disabled={!hit} className="btn justify-between" onClick={() => hear('kit')}>
            Hear kit <kbd className="kbd">Shift H</kbd>
          </button>
          <button type="button" disabled={!hit} className="btn col-span-2 justify-between" onClick={hearNext} title="Mic by mic, as the hit reaches them; or choose one by its name beside the waves">
            Hear it in the next mic <kbd className="kbd">J</kbd>
          </button>
        </div>
        <div className="flex flex-wrap items-center gap-1 text-sm text-ink2">
          Give to
          {drums.map((d, i) => (
            <button key={d} type="button" disabled={none || (hit?.drum === d && many === 0)} className="btn min-h-6 gap-1 px-1.5 py-0" onClick={() => give(d)} title={GIVE_KEYS[i] ? `Give to ${drumLabel(d)} (${GIVE_KEYS[i]})` : `Give to ${drumLabel(d)}`}>
              {GIVE_KEYS[i] && <span className="num text-xs">{GIVE_KEYS[i]}</span>} {drumLabel(d)}
            </button>
          ))}
        </div>
      </div>
    </aside>
  );
}
