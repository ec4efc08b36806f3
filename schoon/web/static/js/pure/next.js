// The next thing to do at a stop, and where nothing is left there, the way on.

const many = (n, what) => `${n} ${what}${n === 1 ? '' : 's'}`;
const sum = (run, of) => run.reduce((n, d) => n + (Number(d[of]) || 0), 0);
// So many lines in doubt are gone through one by one.
const FEW = 12;
const NAMES = { rough: 'Rough', line: 'Line', seal: 'Seal', paint: 'Paint', tone: 'Tone', proof: 'Proof', 'hand-off': 'Hand off' };

const way = (stop, words = '') => ({ words: words ? `${words} →` : `on to ${NAMES[stop]} →`, stop });

// run: the drawings with their counts. about: how many questions and findings wait, null where nobody has counted; how many
// pots there are; speaks: whether anything painted is known of the model; begun: bare forms of a drawing that a hand has begun.
// Gives { words, act } for something here, { words, stop } for the way on, null at the end.
export function nextOf(stop, run, { questions = null, findings = null, pots = 1, speaks = true, begun = 0 } = {}) {
  if (!run.length) return null;
  const gaps = sum(run, 'open_gaps');
  const judge = () => way('seal', `${many(gaps, 'gap')} to judge`);
  const lined = run.filter((d) => d.strokes).length;
  const bare = run.filter((d) => !d.strokes && !d.sheet).length;
  switch (stop) {
    case 'rough': {
      const fresh = run.filter((d) => d.retaken).length;
      return fresh ? { words: `${many(fresh, 'new rough')} to look at`, act: 'retaken' } : way('line', bare ? `clean ${many(bare, 'rough')}` : '');
    }
    case 'line': {
      if (bare) return { words: `Clean ${many(bare, 'rough')}`, act: 'clean' };
      if (lined < run.length) return { words: `${many(run.length - lined, 'empty sheet')} to draw on`, act: 'empty' };
      const doubt = sum(run, 'doubtful');
      // Many are looked at in the run, where they matter, and keep nobody from going on.
      if (doubt && doubt <= FEW) return { words: `${many(doubt, 'line')} in doubt`, act: 'doubt' };
      return gaps ? judge() : way('seal');
    }
    case 'seal':
      if (!lined) return way('line', `clean ${many(bare, 'rough')}`);
      return gaps ? { words: `${many(gaps, 'gap')} to judge`, act: 'gaps' } : way('paint');
    case 'paint': {
      if (!lined) return way('line', `clean ${many(bare, 'rough')}`);
      const open = sum(run, 'open_forms');
      if (open) return { words: `${many(open, 'form')} open`, act: 'open' };
      const painted = run.filter((d) => d.painted).length;
      if (!painted && !pots) return { words: 'Make the first pot', act: 'pot' };
      if (!painted) return speaks ? { words: 'Paint from the model', act: 'carry' } : { words: 'Paint a drawing', act: 'pour' };
      const waits = run.filter((d) => d.strokes && !d.painted).length;
      // What is half painted would be carried half.
      if (waits && begun) return { words: `${many(begun, 'form')} bare here`, act: 'bare' };
      if (waits) return { words: `Carry paint to ${many(waits, 'drawing')}`, act: 'carry' };
      const unsure = sum(run, 'unsure');
      if (unsure) return { words: questions ? many(questions, 'question') : `${unsure} patch${unsure === 1 ? '' : 'es'} unsure`, act: 'unsure' };
      return gaps ? judge() : way('tone');
    }
    case 'tone': {
      const doubt = sum(run, 'toned_unsure');
      if (doubt) return { words: `${many(doubt, 'tone')} in doubt`, act: 'doubt' };
      return run.some((d) => d.strokes && !d.toned) ? { words: 'Shade the run', act: 'shade' } : way('proof');
    }
    case 'proof':
      return findings ? { words: many(findings, 'finding'), act: 'findings' } : way('hand-off');
    default: return null;
  }
}
