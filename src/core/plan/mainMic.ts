/** Which mic a drum's hits are timed at. */
import type { Plan } from './plan';
import { rankOf, roleOf } from './roles';

/** The mic that a drum's times are of: its first close mic, or the first overhead. */
export function mainMic(plan: Plan, drum: string): string {
  const rank = (id: string) => rankOf(plan.mics[id].role);
  const own = plan.order.filter((id) => roleOf(plan.mics[id].role).drum === drum).sort((a, b) => rank(a) - rank(b));
  return own[0] ?? plan.order.find((id) => roleOf(plan.mics[id].role).group === 'overhead') ?? plan.order[0];
}
