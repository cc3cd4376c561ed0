import { describe, expect, it } from 'vitest';
import { addClosing, dropClosing, moveClosing } from './closings';
import { applyEdit, invertEdit } from './edits';
import { createPlan } from './plan';
import { changeOver, dropSecond, putAside } from './second';
import { editParts } from './sliceEdits';

const plan = createPlan(48000, [{ file: 'Tom 1.wav', channel: 0, channels: 1, frames: 480000 }]);
const [id] = plan.order;

describe('a second treatment', () => {
  it('is put aside, changed over and forgotten; each step is undone by its inverse', () => {
    const aside = applyEdit(plan, putAside(plan, id));
    expect(aside.mics[id].second).toEqual(plan.mics[id].treatment);
    const changed = applyEdit(aside, editParts(aside, id, { on: true, noteDb: -6 }));
    const over = applyEdit(changed, changeOver(changed, id));
    expect(over.mics[id].treatment).toEqual(plan.mics[id].treatment);
    expect(over.mics[id].second?.parts.noteDb).toBe(-6);
    expect(applyEdit(over, invertEdit(changeOver(changed, id)))).toEqual(changed);
    // a key mic that has gone meanwhile is not brought back
    const lost = { ...changed, mics: { ...changed.mics, [id]: { ...changed.mics[id], second: { ...plan.mics[id].treatment, gate: { ...plan.mics[id].treatment.gate, keyFrom: 'gone' } } } } };
    expect(applyEdit(lost, changeOver(lost, id)).mics[id].treatment.gate.keyFrom).toBe('');
    const gone = applyEdit(over, dropSecond(over, id));
    expect(gone.mics[id].second).toBeNull();
    expect(changeOver(gone, id).changes).toEqual([]);
    expect(dropSecond(gone, id).changes).toEqual([]);
  });
});

describe('edits of closing low-passes', () => {
  it('add, move and remove them, two at one place too', () => {
    const one = applyEdit(plan, addClosing(plan, id, 48000, 96000));
    const two = applyEdit(one, addClosing(one, id, 48000, 144000));
    expect(Object.keys(two.mics[id].treatment.closings)).toHaveLength(2);
    const [key] = Object.keys(two.mics[id].treatment.closings);
    const moved = applyEdit(two, moveClosing(two, id, key, 500));
    expect(moved.mics[id].treatment.closings[key].hz).toBe(500);
    const gone = applyEdit(moved, dropClosing(moved, id, key));
    expect(Object.keys(gone.mics[id].treatment.closings)).toHaveLength(1);
    expect(addClosing(plan, id, 96000, 96000).changes).toEqual([]);
  });
});
