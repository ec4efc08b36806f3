// Long work: started, watched and cancelled from the page; results arrive by themselves.

import { fill, html } from '../dom.js';
import { get, post, notice } from '../api.js';
import { settled } from '../edits/queue.js';

const WORDS = { '': 'Working', clean: 'Cleaning', fit: 'Fitting', between: 'In-betweens of', seal: 'Looking for gaps', specks: 'Joining specks',
  carry: 'Carrying paint', track: 'Following the patch', tone: 'Shading', props: 'Placing the prop', proof: 'Looking at drawings', export: 'Saving' };

export class Jobs {
  constructor(app) { this.app = app; this.open = new Map(); this.box = document.getElementById('job-state'); }

  // quiet: nothing is said of it unless it fails.
  async start(url, content, onDone, quiet = false) {
    // It is computed from what the hand has done by now.
    await settled(this.app.level);
    try { this.watch(await post(url, content), onDone, quiet); } catch (error) { notice(error.message, true); }
  }

  watch(job, onDone, quiet = false) {
    this.open.set(job.id, { job, onDone, quiet, seen: -1 });
    this.show();
    if (!this.timer) this.timer = setTimeout(() => this.poll(), 400);
  }

  async poll() {
    this.timer = 0;
    for (const [id, item] of this.open) {
      try { item.job = await get(`/api/jobs/${id}`); } catch { continue; }
      const { job } = item;
      const ended = !['waiting', 'running'].includes(job.state);
      if (ended) this.open.delete(id);
      // What is said of it is seen by then, and can be taken back.
      if (!['export', 'proof'].includes(job.kind) && (ended || job.done !== item.seen)) { item.seen = job.done; await this.app.sync.refresh(); }
      if (ended) {
        if (job.state === 'failed') notice(job.message, true, 9000);
        else if (job.message && !item.quiet) notice(job.message, job.failed > 0, 7000);
        else if (job.state === 'cancelled') notice(`Cancelled; ${job.done} of ${job.total} are done and stay`);
      }
      if (ended && item.onDone) item.onDone(job);
    }
    this.show();
    if (this.open.size) this.timer = setTimeout(() => this.poll(), 700);
  }

  show() {
    if (!this.open.size) { this.box.textContent = 'no jobs'; return; }
    const { job } = [...this.open.values()][0];
    if (job.message) { this.box.textContent = job.message; return; }
    const left = job.seconds_left ? `, ${job.seconds_left} s left` : '';
    fill(this.box, html`${WORDS[job.kind]} ${job.done} of ${job.total}${left} <progress max="${job.total}"
      value="${job.done}"></progress> <button>Cancel</button>${this.open.size > 1 ? html` and ${this.open.size - 1} more` : ''}`);
    this.box.querySelector('button').addEventListener('click', async () => {
      await post(`/api/jobs/${job.id}/cancel`);
      this.poll();
    });
  }
}
