// Shares of the way at which in-betweens lie, for the chart; a test holds them to what the server makes of the names.

export const even = (count) => Array.from({ length: count }, (_, k) => (k + 1) / (count + 1));

// Shares by a chart's name, or as they are; lag: how many drawings later they set out.
export function spaced(chart, count, lag = 0) {
  const late = lag / (count + 1);
  const times = even(count).map((t) => Math.min(1, Math.max(0, late > 0 ? (t - late) / (1 - late) : t / (1 + late))));
  if (!Array.isArray(chart)) return times.map(SPACINGS[chart]);
  const ways = [0, ...chart, 1];
  return times.map((t) => {
    const place = t * (ways.length - 1);
    const k = Math.min(Math.floor(place), ways.length - 2);
    return ways[k] + (place - k) * (ways[k + 1] - ways[k]);
  });
}

export const SPACINGS = { even: (t) => t, 'ease in': (t) => 1 - (1 - t) ** 2, 'ease out': (t) => t * t, 'slow both': (t) => t * t * (3 - 2 * t) };
