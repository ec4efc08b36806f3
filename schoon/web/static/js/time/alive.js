// What a hold that is kept alive asks before it is made.

import { get } from '../api.js';

// How far redraws of one pose are to lie off it, px: as far as those that stand there, times a strength.
export async function reachOf(level, drawings, strength) {
  const { reach, measured } = await get(`/api/levels/${level}/tremble?${drawings.map((id) => `drawings=${id}`).join('&')}`);
  return { reach: reach * strength, words: `${measured ? 'the redraws here lie' : 'a steady hand draws'} ${reach} px off; drawn ${(reach * strength)
    .toFixed(1)} px off` };
}
