/**
 * Undo and redo as a list of edits and a cursor: edits before the cursor are done, those behind it are undone and may be redone.
 * A new edit drops what is behind the cursor. The database keeps the same list and the same cursor.
 */
import { FreshGapError } from '../errors';
import { type Edit, applyEdit, invertEdit } from './edits';
import type { Plan } from './plan';

export interface History {
  readonly plan: Plan;
  readonly edits: readonly Edit[];
  readonly cursor: number;
}

export type HistoryStep = { readonly kind: 'do'; readonly edit: Edit } | { readonly kind: 'undo' } | { readonly kind: 'redo' };

/** The history after a step. Throws EDIT_CONFLICT, NOTHING_TO_UNDO or NOTHING_TO_REDO and changes nothing then. */
export function stepHistory(h: History, step: HistoryStep): History {
  switch (step.kind) {
    case 'do':
      return { plan: applyEdit(h.plan, step.edit), edits: [...h.edits.slice(0, h.cursor), step.edit], cursor: h.cursor + 1 };
    case 'undo': {
      if (h.cursor === 0) throw new FreshGapError('NOTHING_TO_UNDO', 'There is nothing to undo.');
      return { plan: applyEdit(h.plan, invertEdit(h.edits[h.cursor - 1])), edits: h.edits, cursor: h.cursor - 1 };
    }
    case 'redo': {
      if (h.cursor >= h.edits.length) throw new FreshGapError('NOTHING_TO_REDO', 'There is nothing to redo.');
      return { plan: applyEdit(h.plan, h.edits[h.cursor]), edits: h.edits, cursor: h.cursor + 1 };
    }
  }
}

/** Name of what undo would take back, or null. */
export const undoLabel = (h: Pick<History, 'edits' | 'cursor'>): string | null => (h.cursor > 0 ? h.edits[h.cursor - 1].label : null);

/** Name of what redo would bring back, or null. */
export const redoLabel = (h: Pick<History, 'edits' | 'cursor'>): string | null => h.edits[h.cursor]?.label ?? null;
