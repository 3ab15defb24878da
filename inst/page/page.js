// @ts-check
// What all views of the page share: words for numbers, plain figures and their files, keys, and word of the program.

/** When now is (seconds since 1970), and where. @typedef {{now: number, zone: string}} Moment */

export const shiny = /** @type {any} */ (window).Shiny;
export const jquery = /** @type {any} */ (window).jQuery;

/** @param {string} id @returns {HTMLElement} */
export const byId = (id) => /** @type {HTMLElement} */ (document.getElementById(id));
/** @param {string} id @returns {HTMLInputElement} */
export const field = (id) => /** @type {HTMLInputElement} */ (byId(id));

/** 64-bit numbers that came as base64. @param {string} text @returns {Float64Array} */
export function numbers(text) {
  const raw = atob(text);
  const bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) bytes[i] = raw.charCodeAt(i);
  return new Float64Array(bytes.buffer);
}

// ---- words ----------------------------------------------------------------------------------------------------------

/** @param {number} seconds */
export function duration(seconds) {
  if (!Number.isFinite(seconds)) return 'never';
  if (seconds < 60) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60), hours = Math.floor(minutes / 60), days = Math.floor(hours / 24);
  if (hours < 1) return `${minutes}m`;
  if (days < 2) return `${hours}h${String(minutes % 60).padStart(2, '0')}m`;
  return `${days}d${String(hours % 24).padStart(2, '0')}h`;
}

/** How moments are written in a time zone: making one takes longer than a hundred uses of it. @type {Map<string, Intl.DateTimeFormat>} */
const written = new Map();

/** The clock's time, seconds from a moment. @param {Moment} f @param {number} seconds */
export function clock(f, seconds) {
  const parts = written.get(f.zone) || new Intl.DateTimeFormat('en-GB', { weekday: 'short', hour: '2-digit', minute: '2-digit', timeZone: f.zone });
  written.set(f.zone, parts);
  return parts.format(new Date(1000 * (f.now + seconds))).replace(',', '');
}

/** @param {{currency: string}} f @param {number} amount */
export const money = (f, amount) => `${amount.toFixed(2)} ${f.currency}`;
/** @param {number} share */
export const percent = (share) => share > 0 && share < 0.01 ? 'under 1 %' : share < 1 && share > 0.99 ? 'over 99 %' : `${Math.round(100 * share)} %`;

/** @param {string} name @param {Record<string, string | number>} attributes @param {string} [text] */
export function svg(name, attributes, text) {
  const node = document.createElementNS('http://www.w3.org/2000/svg', name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, String(value));
  if (text !== undefined) node.textContent = text;
  return node;
}

/** Round numbers between two, about as many as asked. @param {number} low @param {number} high @param {number} [many]
 * @param {number[]} [steps] */
export function ticks(low, high, many = 6, steps = [1, 2, 5, 10]) {
  const rough = (high - low) / many, power = 10 ** Math.floor(Math.log10(rough));
  const step = (steps.find((s) => s * power >= rough) || 10) * power;
  const out = [];
  for (let x = Math.ceil(low / step) * step; x <= high; x += step) out.push(x);
  return out;
}

/** Round moments of the clock, in seconds from now: minutes, hours, days. @param {Moment} f @param {number} high
 * @param {number} most */
export function timeTicks(f, high, most) {
  const steps = [60, 300, 600, 1800, 3600, 7200, 14400, 21600, 43200, 86400, 172800, 604800];
  const step = steps.find((s) => high / s <= most) || 604800 * Math.ceil(high / 604800 / most);
  const parts = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', second: '2-digit', timeZone: f.zone });
  const [hours, minutes, seconds] = parts.format(new Date(1000 * f.now)).split(':').map(Number);
  const past = (3600 * hours + 60 * minutes + seconds) % step;
  const out = [];
  for (let x = past ? step - past : 0; x <= high; x += step) out.push(x);
  return out;
}

export const frame = { width: 720, height: 300, left: 56, right: 20, top: 26, bottom: 42 };
/** How many moments have room below a figure. */
export const roomFor = () => Math.max(2, Math.floor((frame.width - frame.left - frame.right) / 86));

/** An empty figure with its axes, and how numbers become places in it.
 * @param {string} id @param {string} about @param {[number, number]} x @param {[number, number]} y
 * @param {number[]} xAt @param {number[]} yAt @param {(v: number) => string} xSays @param {(v: number) => string} ySays
 * @param {string} xName @param {string} yName */
export function plot(id, about, x, y, xAt, yAt, xSays, ySays, xName, yName) {
  const root = svg('svg', { viewBox: `0 0 ${frame.width} ${frame.height}`, role: 'img', 'aria-label': about });
  const px = (/** @type {number} */ v) => frame.left + (v - x[0]) / (x[1] - x[0]) * (frame.width - frame.left - frame.right);
  const py = (/** @type {number} */ v) => frame.height - frame.bottom -
    (v - y[0]) / (y[1] - y[0]) * (frame.height - frame.top - frame.bottom);
  for (const v of xAt) {
    root.append(svg('line', { class: 'grid', x1: px(v), x2: px(v), y1: frame.top, y2: frame.height - frame.bottom }),
      svg('text', { class: 'tick', x: px(v), y: frame.height - frame.bottom + 16,
        'text-anchor': px(v) > frame.width - 36 ? 'end' : 'middle' }, xSays(v)));
  }
  for (const v of yAt) {
    root.append(svg('line', { class: 'grid', x1: frame.left, x2: frame.width - frame.right, y1: py(v), y2: py(v) }),
      svg('text', { class: 'tick', x: frame.left - 8, y: py(v) + 4, 'text-anchor': 'end' }, ySays(v)));
  }
  root.append(svg('text', { class: 'axis', x: frame.width - frame.right, y: frame.height - 8, 'text-anchor': 'end' }, xName),
    svg('text', { class: 'axis', x: 4, y: 12 }, yName));
  byId(id).replaceChildren(root);
  return { root, px, py };
}


/** Of each figure: how its picture is made where it is not the SVG in the page, and its numbers as rows.
 * @type {Map<string, {picture?: () => SVGElement, rows: () => (string | number)[][]}>} */
export const files = new Map();

/** The cells of a table as rows. @param {string} id */
export const tableRows = (id) => [.../** @type {HTMLTableElement} */ (byId(id)).rows].map((row) =>
  [...row.cells].map((cell) => cell.textContent || ''));

/** The figure as it is seen, or its numbers, as a file. @param {string} id @param {string} kind */
function save(id, kind) {
  const made = document.querySelector(`img.made[data-of="${CSS.escape(id)}"]`);
  if (made instanceof HTMLImageElement) files.set(id, { rows: () => JSON.parse(made.dataset.rows || '[]') });
  const of = files.get(id);
  if (!of) return;
  const give = (/** @type {Blob} */ blob) => {
    const link = Object.assign(document.createElement('a'), { href: URL.createObjectURL(blob), download: `${id}.${kind}` });
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  };
  if (kind === 'csv') {
    const quoted = (/** @type {string | number} */ value) => typeof value === 'number' ? String(value) : `"${value.replaceAll('"', '""')}"`;
    give(new Blob([of.rows().map((row) => row.map(quoted).join(',')).join('\n') + '\n'], { type: 'text/csv' }));
    return;
  }
  if (made instanceof HTMLImageElement) {
    saveDrawn(give, atob(made.src.split(',')[1]), kind, 2 * made.width, 2 * made.height, '#fff');
    return;
  }
  const picture = of.picture ? of.picture() : byId(id).querySelector('svg');
  if (!picture) return;
  const box = (picture.getAttribute('viewBox') || '').split(' ').map(Number);
  const width = 2 * box[2], height = 2 * box[3];
  const copy = /** @type {SVGElement} */ (picture.cloneNode(true));
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  copy.setAttribute('width', String(width));
  copy.setAttribute('height', String(height));
  // A file has no page around it: what each part looks like goes with it.
  const seen = picture.querySelectorAll('*');
  if (picture.isConnected) copy.querySelectorAll('*').forEach((node, k) => {
    const style = getComputedStyle(seen[k]);
    for (const name of ['fill', 'stroke', 'stroke-width', 'stroke-dasharray', 'font-size', 'font-family', 'font-weight']) {
      node.setAttribute(name, style.getPropertyValue(name));
    }
  });
  saveDrawn(give, new XMLSerializer().serializeToString(copy), kind, width, height, getComputedStyle(document.body).backgroundColor);
}

/** An SVG's text as a file. @param {(blob: Blob) => void} give @param {string} text @param {string} kind
 * @param {number} width @param {number} height @param {string} ground */
function saveDrawn(give, text, kind, width, height, ground) {
  if (kind === 'svg') { give(new Blob([text], { type: 'image/svg+xml' })); return; }
  const image = new Image();
  image.onload = () => {
    const canvas = Object.assign(document.createElement('canvas'), { width, height });
    const pen = /** @type {CanvasRenderingContext2D} */ (canvas.getContext('2d'));
    pen.fillStyle = ground;
    pen.fillRect(0, 0, width, height);
    pen.drawImage(image, 0, 0, width, height);
    canvas.toBlob((blob) => { if (blob) give(blob); });
  };
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
}

/** What keys do in the view beside those of all views. @type {Record<string, () => void>} */
export const keys = {};

document.addEventListener('submit', (event) => event.preventDefault());
document.addEventListener('click', (event) => {
  const button = /** @type {HTMLElement} */ (event.target).closest('button.save');
  if (button instanceof HTMLElement) save(button.dataset.figure || '', button.dataset.kind || '');
});
byId('ask-no').addEventListener('click', () => /** @type {HTMLDialogElement} */ (byId('ask')).close());
shiny.addCustomMessageHandler('ask', (/** @type {{id: string, title: string, texts: string[]}} */ x) => {
  const dialog = /** @type {HTMLDialogElement} */ (byId('ask'));
  byId('ask-title').textContent = x.title;
  byId('ask-texts').replaceChildren(...x.texts.map((text) => Object.assign(document.createElement('p'), { textContent: text })));
  byId('ask-yes').onclick = () => { dialog.close(); shiny.setInputValue(x.id, Date.now(), { priority: 'event' }); };
  dialog.showModal();
});
byId('keys-close').addEventListener('click', () => /** @type {HTMLDialogElement} */ (byId('keys')).close());
document.addEventListener('keydown', (event) => {
  const at = /** @type {HTMLElement} */ (event.target);
  if (event.ctrlKey || event.altKey || event.metaKey || at.matches('textarea, input:not([type]), input[type=text], input[type=search]')) return;
  const dialog = /** @type {HTMLDialogElement} */ (byId('keys'));
  const view = document.querySelector(`nav a[data-key="${CSS.escape(event.key)}"]`);
  if (dialog.open || /** @type {HTMLDialogElement} */ (byId('ask')).open) return;
  if (event.key === '?') dialog.showModal();
  else if (keys[event.key]) keys[event.key]();
  else if (view instanceof HTMLElement) view.click();
  else return;
  event.preventDefault();
});

// The way to another view leads to where it was left in this window.
const here = document.querySelector('nav [aria-current=page]');
for (const link of document.querySelectorAll('nav a')) {
  const left = sessionStorage.getItem(link.textContent || '');
  if (left && link !== here) link.setAttribute('href', left);
}
window.addEventListener('pagehide', () => sessionStorage.setItem((here && here.textContent) || '', location.pathname + location.search));

/** Asks for the page until its program answers again, which then goes on where it was: the address keeps what was asked. */
async function comeBack() {
  for (let times = 0; times < 1800; times++) {
    await new Promise((resolve) => setTimeout(resolve, 2000));
    const answer = await fetch(location.href, { cache: 'no-store' }).catch(() => null);
    if (answer && answer.ok) { location.reload(); return; }
    if (answer) byId('connection').textContent = 'The program was begun again with another token: open the address that it printed.';
  }
}
let leaving = false;
window.addEventListener('pagehide', () => { leaving = true; });
jquery(document).on('shiny:disconnected', () => {
  if (leaving) return;
  byId('connection').textContent = 'The page has lost its program: what is shown may be old. It goes on when clockpigeon page runs again.';
  comeBack();
});

// A button says what it does, and one of a list which row it is of.
document.addEventListener('click', (event) => {
  const button = /** @type {HTMLElement} */ (event.target).closest('button.measure, button.does');
  if (button instanceof HTMLElement) shiny.setInputValue(button.dataset.does || 'measure', Number(button.dataset.row || 1), { priority: 'event' });
});
shiny.addCustomMessageHandler('looking', (/** @type {boolean} */ busy) => {
  for (const [id, off] of /** @type {[string, boolean][]} */ ([['look', busy], ['leave', !busy]])) {
    const button = document.getElementById(id);
    if (button) button.toggleAttribute('disabled', off);
  }
});
