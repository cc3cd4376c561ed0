/** Asks for what the program proposes. */
import { Wand2 } from 'lucide-react';
import { propose } from './commands';

export function ProposeButton() {
  return (
    <button type="button" className="btn self-start" onClick={propose} title="De-bleed where it is computed, gates and slices for every mic that is untouched; one step of undo takes it back">
      <Wand2 aria-hidden="true" size={14} /> Propose treatments
    </button>
  );
}
