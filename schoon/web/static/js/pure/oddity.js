// What stands out in a row of the ledger: a pot through the run. Nothing here touches the page.

// cells: { count, area, unsure } of each drawing, null where the pot is not. limits: as the server gives them.
// Returns what is odd about cell k in a word, or ''.
export function oddity(cells, k, limits) {
  const here = cells[k];
  const there = cells.filter(Boolean);
  if (!there.length) return '';
  const near = [cells[k - 1], cells[k + 1]].filter(Boolean);
  if (!here) return near.length === 2 || (there.length > limits.usual * cells.length && near.length) ? 'missing' : '';
  if (here.unsure) return `${here.unsure} ?`;
  if (!near.length) return cells.length > 2 ? 'lone' : '';
  const area = near.reduce((sum, c) => sum + c.area, 0) / near.length;
  if (here.area > limits.large * area) return 'big';
  if (here.area < limits.small * area) return 'small';
  if (near.length < 2) return '';
  const counts = near.map((c) => c.count);
  if (here.count > Math.max(...counts)) return 'extra';
  return here.count < Math.min(...counts) ? 'fewer' : '';
}
