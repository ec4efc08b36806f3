// Pictures and clips beside the paper: own frame or that of the shot, as large as wanted, mirrored; never handed off.

import { fill, html } from '../dom.js';
import { get, notice, post, upload } from '../api.js';

const $ = (id) => document.getElementById(id);
const LEAST = 80;
const START = { left: 0.62, top: 0.16, width: 260, mirrored: false, frame: 1, away: false };

export class References {
  constructor(app) {
    this.app = app;
    this.list = [];
    this.box = $('beside-box');
    $('see-beside').addEventListener('click', () => this.open(this.box.hidden));
    app.on('frame', () => this.follow());
    app.on('run', () => this.follow());
    this.load();
  }

  get here() { return this.list.filter((ref) => !ref.place.gone); }

  get table() { return $('table'); }

  open(on) {
    this.box.hidden = !on;
    $('see-beside').setAttribute('aria-pressed', String(on));
    if (on) this.show();
  }

  async load() {
    try { this.take(await get(`/api/shots/${this.app.data.shot.id}/references`)); } catch (error) { notice(error.message, true); }
  }

  take({ references }) {
    this.list = references.map((ref) => ({ ...ref, place: { ...START, ...ref.place } }));
    if (!this.box.hidden) this.show();
    this.panels();
  }

  show() {
    const { model } = this.app.data;
    fill(this.box, html`<b>Beside the paper</b><label class="bring">Bring a picture or clip … <input id="reference-file" type="file"
      accept="image/*,video/*,.mkv,.gif" autocomplete="off"></label>
      <ul>${this.here.map((ref) => html`<li><span class="name" title="${ref.name}">${ref.name}</span>
        <button data-see="${ref.id}" aria-pressed="${!ref.place.away}">seen</button>
        ${model ? html`<button data-pin="${ref.id}" aria-pressed="${Boolean(ref.model_id)}"
          title="Seen in every shot of the model">with the model</button>` : ''}
        <button data-drop="${ref.id}" aria-label="Take ${ref.name} away">×</button></li>`)}</ul>${this.list.some((ref) => ref.place.gone)
          ? html`<details><summary>taken away</summary><ul>${this.list.filter((ref) => ref.place.gone)
            .map((ref) => html`<li><span class="name" title="${ref.name}">${ref.name}</span><button
              data-return="${ref.id}">bring back</button></li>`)}</ul></details>` : ''}`);
    $('reference-file').addEventListener('change', ({ target }) => this.bring(target));
    const each = (what, act) => { for (const node of this.box.querySelectorAll(`[data-${what}]`)) node.addEventListener('click',
      () => act(this.list.find((r) => r.id === Number(node.dataset[what])))); };
    each('see', (ref) => { ref.place.away = !ref.place.away; this.keep(ref); this.show(); this.panels(); });
    each('pin', (ref) => this.pin(ref));
    each('drop', (ref) => this.drop(ref, true));
    each('return', (ref) => this.drop(ref, false));
  }

  async bring(field) {
    const [file] = field.files;
    if (!file) return;
    const form = new FormData();
    form.append('file', file);
    field.disabled = true;
    try { this.take(await upload(`/api/shots/${this.app.data.shot.id}/references`, form)); } catch (error) { notice(error.message, true); }
    this.show();
  }

  async pin(ref) {
    const { shot, model } = this.app.data;
    try { this.take(await post(`/api/references/${ref.id}/pin`, { shot: shot.id, model: ref.model_id ? 0 : model }));
      } catch (error) { notice(error.message, true); }
  }

  async drop(ref, gone) {
    try {
      clearTimeout(ref.later);
      await post(`/api/references/${ref.id}/drop`, { gone });
      ref.place.gone = gone;
      this.show();
      this.panels();
    } catch (error) { notice(error.message, true); }
  }

  keep(ref) {
    clearTimeout(ref.later);
    ref.later = setTimeout(() => post(`/api/references/${ref.id}/place`, ref.place).catch((error) => notice(error.message, true)), 400);
  }

  panels() {
    for (const node of document.querySelectorAll('.reference')) node.remove();
    for (const ref of this.here) if (!ref.place.away) this.panel(ref);
    this.follow();
  }

  panel(ref) {
    const node = document.createElement('figure');
    node.className = 'reference';
    node.dataset.id = ref.id;
    const clip = ref.pictures.length > 1;
    fill(node, html`<figcaption title="Drag to place it"><span class="name">${ref.name}</span><button data-do="mirror" aria-pressed="${ref.place.mirrored}"
      title="Mirrored">⇋</button><button data-do="away" aria-label="Put ${ref.name} away">×</button></figcaption>
      <img alt="${ref.name}" draggable="false">
      ${clip ? html`<div class="clip"><label title="Its frame is that of the shot"><input type="checkbox" ${ref.place.frame === 0 ? 'checked' : ''}
        autocomplete="off"> in step</label><input type="range" min="1" max="${ref.pictures.length}" value="${Math.max(1, ref.place.frame)}"
          aria-label="Frame of ${ref.name}" autocomplete="off"></div>` : ''}<i class="grip" title="Size"></i>`);
    this.table.append(node);
    this.lay(ref, node);
    node.querySelector('[data-do="mirror"]')
      .addEventListener('click', ({ currentTarget }) => { ref.place.mirrored = !ref.place.mirrored;
        currentTarget.setAttribute('aria-pressed', String(ref.place.mirrored)); this.lay(ref, node); this.keep(ref); });
    node.querySelector('[data-do="away"]').addEventListener('click',
      () => { ref.place.away = true; this.keep(ref); this.panels(); if (!this.box.hidden) this.show(); });
    node.querySelector('[type="checkbox"]')?.addEventListener('change',
      ({ target }) => { ref.place.frame = target.checked ? 0 : Number(node.querySelector('[type="range"]').value); this.keep(ref); this.follow(); });
    node.querySelector('[type="range"]')?.addEventListener('input',
      ({ target }) => { ref.place.frame = Number(target.value); node.querySelector('[type="checkbox"]').checked = false; this.keep(ref); this.follow(); });
    this.drags(node.querySelector('figcaption'), ref, node,
      (dx, dy, from, room) => { ref.place.left = Math.min(0.97, Math.max(-0.2, from.left + dx / room.width));
        ref.place.top = Math.min(0.95, Math.max(0, from.top + dy / room.height)); });
    this.drags(node.querySelector('.grip'), ref, node, (dx, dy, from, room) => { ref.place.width = Math.min(room.width, Math.max(LEAST, from.width + dx)); });
  }

  drags(handle, ref, node, act) {
    handle.addEventListener('pointerdown', (event) => {
      if (event.target.closest('button')) return;
      event.preventDefault();
      handle.setPointerCapture(event.pointerId);
      const from = { ...ref.place };
      const room = this.table.getBoundingClientRect();
      const move = (e) => { act(e.clientX - event.clientX, e.clientY - event.clientY, from, room); this.lay(ref, node); };
      handle.addEventListener('pointermove', move);
      handle.addEventListener('pointerup', () => { handle.removeEventListener('pointermove', move); this.keep(ref); }, { once: true });
    });
  }

  lay(ref, node) {
    Object.assign(node.style, { left: `${100 * ref.place.left}%`, top: `${100 * ref.place.top}%`, width: `${ref.place.width}px` });
    node.querySelector('img').style.transform = ref.place.mirrored ? 'scaleX(-1)' : '';
  }

  // Clips that are in step show the time of the frame that is looked at.
  follow() {
    const { frame, data: { shot } } = this.app;
    for (const ref of this.list) {
      const image = document.querySelector(`.reference[data-id="${ref.id}"] img`);
      if (!image) continue;
      const seconds = (frame - 1) / shot.fps;
      const at = ref.place.frame || 1 + (Math.floor(seconds * (ref.fps || shot.fps) + 1e-6) % ref.pictures.length);
      const url = `/pictures/${ref.pictures[Math.min(at, ref.pictures.length) - 1]}`;
      if (image.getAttribute('src') !== url) image.src = url;
    }
  }
}
