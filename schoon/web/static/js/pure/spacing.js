// Shares of the way at which in-betweens lie, for the chart; a test holds them to what the server makes of the names.

export const even = (count) => Array.from({ length: count }, (_, k) => (k + 1) / (count + 1));

export const SPACINGS = { even: (t) => t, 'ease in': (t) => 1 - (1 - t) ** 2, 'ease out': (t) => t * t, 'slow both': (t) => t * t * (3 - 2 * t) };
