/** The networks that npm run train made from made recordings; see docs/decisions. */
import type { Networks } from './detectHits';
import weights from './weights.json';

export const NETWORKS: Networks = weights;
