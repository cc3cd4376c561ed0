/** A group of settings that folds away; its note says what they come to. */
import { ChevronDown } from 'lucide-react';

export function Fold(p: { title: string; note: string; open: boolean; onOpen(v: boolean): void; children: React.ReactNode }) {
  return (
    <section>
      <button type="button" aria-expanded={p.open} onClick={() => p.onOpen(!p.open)} className="flex h-[23px] w-full items-center gap-2 border-t border-line text-left">
        <ChevronDown aria-hidden="true" size={14} className={p.open ? '' : '-rotate-90'} />
        <b>{p.title}</b>
        <span className="num ml-auto truncate pl-2 text-xs text-ink2">{p.note}</span>
      </button>
      {p.open && <div className="pb-1">{p.children}</div>}
    </section>
  );
}
