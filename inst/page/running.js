// @ts-check
// The view of jobs that run: a strip of all frames and lanes of nodes on canvas, belief and money as figures.
import { byId, clock, duration, files, frame, jquery, keys, plot, roomFor, shiny, svg, ticks, timeTicks } from './page.js';

/**
 * @typedef {{all: number, fresh: boolean, shots: Record<string, number[]> | null, frames: number[][], nodes: string[],
 *   now: number, placed: number, zone: string, deadline: number | null,
 *   belief: Record<'at_s' | 'p10' | 'p50' | 'p90', (number | null)[]>, paused: boolean, stopped: boolean,
 *   money: {currency: string, p10: number, p50: number, p90: number, mean: number, charged: number | null,
 *   budget: number | null, promised: number}}} Watched
 * @typedef {{rect: (x: number, y: number, w: number, h: number, kind: string) => void,
 *   line: (x: number, y: number, to_x: number, to_y: number, kind: string) => void,
 *   text: (x: number, y: number, text: string, end?: boolean) => void}} Pen
 */

// States of a frame, as R numbers them.
const [WAITING, GIVEN, RENDERING, ARRIVED, USABLE, FAILED] = [0, 1, 2, 3, 4, 5];
const names = ['to come', 'given out', 'rendering', 'there', 'usable', 'failed', 'lost'];
/** How grave a state is, where one place on the strip stands for many frames. */
const grave = [1, 2, 4, 0, 0, 5, 5];
const most = 24;

/** @type {Watched | null} */
let job = null;
let state = new Uint8Array(), seconds = new Float32Array(), node = new Int32Array(), begun = new Float32Array(), ended = new Float32Array();
/** @type {string[]} */
let labels = [];
// What the strip shows: from a frame on, so many; and the frame that is pointed at. The same of the runs of lanes.
const view = { from: 0, many: 1, at: 0, run: -1 };

// ---- pens -----------------------------------------------------------------------------------------------------------

/** @param {string} name */
const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
/** @type {Record<string, string>} */
let ink = {};
const inks = () => ({ there: colour('--mark'), band: colour('--soft'), rendering: colour('--ink'), failed: colour('--warm'),
  waiting: colour('--line'), grid: colour('--line'), text: colour('--soft'), at: colour('--ink') });

/** @param {HTMLCanvasElement} canvas @param {number} height @returns {{pen: Pen, width: number}} */
function canvasPen(canvas, height) {
  const width = Math.max(320, (canvas.parentElement || canvas).clientWidth), scale = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
    canvas.style.height = `${height}px`;
  }
  const pen = /** @type {CanvasRenderingContext2D} */ (canvas.getContext('2d'));
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, width, height);
  pen.font = `12.5px ${getComputedStyle(document.body).fontFamily}`;
  return { width, pen: {
    rect: (x, y, w, h, kind) => { pen.fillStyle = ink[kind]; pen.fillRect(x, y, w, h); },
    line: (x, y, toX, toY, kind) => {
      pen.strokeStyle = ink[kind];
      pen.lineWidth = kind === 'grid' ? 1 : 1.6;
      pen.beginPath(); pen.moveTo(x, y); pen.lineTo(toX, toY); pen.stroke();
    },
    text: (x, y, text, end) => { pen.fillStyle = ink.text; pen.textAlign = end ? 'end' : 'start'; pen.fillText(text, x, y); },
  } };
}

/** The same as a picture to keep. @param {number} width @param {number} height @param {(pen: Pen) => void} draw */
function svgPen(width, height, draw) {
  const root = /** @type {SVGElement} */ (svg('svg', { viewBox: `0 0 ${width} ${height}` }));
  draw({
    rect: (x, y, w, h, kind) => root.append(svg('rect', { x, y, width: Math.max(w, 0.2), height: Math.max(h, 0), fill: ink[kind] })),
    line: (x1, y1, x2, y2, kind) => root.append(svg('line', { x1, y1, x2, y2, stroke: ink[kind], 'stroke-width': 1.4 })),
    text: (x, y, text, end) => root.append(svg('text', { x, y, fill: ink.text, 'font-size': 12.5, 'font-family': 'sans-serif',
      'text-anchor': end ? 'end' : 'start' }, text)),
  });
  return root;
}

/** A mark of how frames stand, beside its colour of a shape of its own. @param {Pen} pen @param {number} x
 * @param {number} y @param {number} w @param {number} h @param {number} s */
function mark(pen, x, y, w, h, s) {
  if (s === ARRIVED || s === USABLE) pen.rect(x, y, w, h, 'there');
  else if (s >= FAILED) {
    pen.rect(x, y + h / 2 - 1, w, 2, 'failed');
    const middle = x + w / 2, arm = Math.min(h / 2, Math.max(2, w / 2));
    pen.line(middle - arm, y, middle + arm, y + h, 'failed');
    pen.line(middle - arm, y + h, middle + arm, y, 'failed');
  } else if (s === RENDERING || s === GIVEN) {
    pen.rect(x, y, w, 2, s === RENDERING ? 'rendering' : 'band');
    pen.rect(x, y + h - 2, w, 2, s === RENDERING ? 'rendering' : 'band');
    if (w > 4 && s === RENDERING) { pen.rect(x, y, 1.5, h, 'rendering'); pen.rect(x + w - 1.5, y, 1.5, h, 'rendering'); }
  } else pen.rect(x, y + h / 2 - 1, w, 2, 'waiting');
}

// ---- the strip ------------------------------------------------------------------------------------------------------

const stripHeight = 170, left = 56, under = 24;

/** @param {Pen} pen @param {number} width */
function drawStrip(pen, width) {
  const room = width - left - 8, tall = stripHeight - under - 30, cells = Math.min(view.many, Math.floor(room));
  let top = 0;
  for (let i = view.from; i < view.from + view.many; i++) if (seconds[i] > top) top = seconds[i];
  if (!(top > 0)) top = 1;
  for (const t of ticks(0, top, 4)) {
    const y = 6 + tall - t / top * tall;
    pen.line(left, y, width - 8, y, 'grid');
    pen.text(left - 8, y + 4, duration(t), true);
  }
  for (let cell = 0; cell < cells; cell++) {
    const first = view.from + Math.floor(cell * view.many / cells), next = view.from + Math.floor((cell + 1) * view.many / cells);
    let longest = 0, worst = state[first];
    for (let i = first; i < next; i++) {
      if (seconds[i] > longest) longest = seconds[i];
      if (grave[state[i]] > grave[worst]) worst = state[i];
    }
    const x = left + cell * room / cells, w = room / cells, gap = w > 4 ? 1 : 0;
    if (longest > 0) pen.rect(x, 6 + tall - longest / top * tall, w - gap, longest / top * tall, worst >= FAILED ? 'failed' : 'there');
    mark(pen, x, 6 + tall + 8, w - gap, 14, worst);
    if (view.at >= first && view.at < next) pen.rect(x + w / 2 - 1, 0, 2, stripHeight - under, 'at');
  }
  pen.text(left, stripHeight - 6, labels[view.from] || '');
  pen.text(width - 8, stripHeight - 6, labels[view.from + view.many - 1] || '', true);
}

/** One frame in words. @param {number} i */
function saysOf(i) {
  const at = job, took = seconds[i] > 0 ? `, ${duration(seconds[i])}` : '';
  return `${labels[i]}: ${names[state[i]]}${took}${at && node[i] >= 0 ? ` on ${at.nodes[node[i]]}` : ''}`;
}

/** As many frames in the strip, the one that is pointed at within. @param {number} [factor] */
function nearer(factor = 1) {
  view.many = Math.max(Math.min(20, state.length), Math.min(state.length, Math.round(view.many * factor)));
  view.from = Math.max(0, Math.min(state.length - view.many, view.at < view.from || view.at >= view.from + view.many || factor !== 1
    ? view.at - Math.floor(view.many / 2) : view.from));
}

// ---- lanes ----------------------------------------------------------------------------------------------------------

const laneHeight = 18;

/** Runs in the order of nodes, then of time. */
let runs = new Int32Array();
function orderRuns() {
  const of = [];
  for (let i = 0; i < state.length; i++) if (node[i] >= 0 && node[i] < most && !Number.isNaN(begun[i])) of.push(i);
  runs = Int32Array.from(of.sort((a, b) => node[a] - node[b] || begun[a] - begun[b]));
}

/** @param {Pen} pen @param {number} width @param {Watched} j */
function drawLanes(pen, width, j) {
  const lanes = Math.min(j.nodes.length, most), wide = 120, room = width - wide - 8, last = Math.max(j.now, 1);
  const px = (/** @type {number} */ t) => wide + t / last * room;
  const moment = { now: j.placed, zone: j.zone };
  for (const t of timeTicks(moment, last, Math.max(2, Math.floor(room / 90)))) {
    pen.line(px(t), 0, px(t), lanes * laneHeight + 4, 'grid');
    pen.text(px(t) + 3, lanes * laneHeight + 18, clock(moment, t));
  }
  for (let k = 0; k < lanes; k++) pen.text(wide - 8, k * laneHeight + 14, j.nodes[k].slice(0, 16), true);
  for (const i of runs) {
    const x = px(begun[i]), open = Number.isNaN(ended[i]), end = px(open ? last : ended[i]), y = node[i] * laneHeight + 3, h = laneHeight - 6;
    const w = Math.max(0.5, end - x - (end - x > 3 ? 1 : 0));
    if (state[i] >= FAILED) mark(pen, x, y, w, h, state[i]);
    else if (open) { pen.rect(x, y, w, 2, 'rendering'); pen.rect(x, y + h - 2, w, 2, 'rendering'); pen.rect(x, y, 2, h, 'rendering'); }
    else pen.rect(x, y, w, h, 'there');
    if (i === view.run) { pen.line(x, y - 3, x, y + h + 3, 'at'); pen.line(end, y - 3, end, y + h + 3, 'at'); }
  }
}

const lanesHeight = () => Math.min(job ? job.nodes.length : 0, most) * laneHeight + 26;

// ---- belief and money -----------------------------------------------------------------------------------------------

/** @param {Watched} j */
function drawBelief(j) {
  frame.width = Math.max(320, byId('belief').clientWidth);
  const b = j.belief, moment = { now: j.placed, zone: j.zone };
  const finite = (/** @type {(number | null)[]} */ all) => all.filter((v) => v !== null).map(Number);
  const ends = finite(b.p90), right = Math.max(...finite(b.at_s), 1);
  const far = j.deadline !== null && j.deadline > 2 * Math.max(...ends, right);
  const top = Math.max(...ends, right, far || j.deadline === null ? 0 : j.deadline) * 1.04;
  const last = b.p50[b.p50.length - 1];
  const about = last === null ? 'Not done as it stands.' : `Done ${clock(moment, Number(last))}, as it is believed now.`;
  const { root, px, py } = plot('belief', about, [0, right], [0, top], timeTicks(moment, right, roomFor()), timeTicks(moment, top, 6),
    (v) => clock(moment, v), (v) => clock(moment, v).replace(/^[A-Za-z]+ /, ''), 'now', 'done');
  const known = b.at_s.map((_, i) => i).filter((i) => b.p10[i] !== null && b.p90[i] !== null && b.p50[i] !== null);
  const at = (/** @type {(number | null)[]} */ of, /** @type {number} */ i) => `${px(Number(b.at_s[i])).toFixed(1)},${py(Number(of[i])).toFixed(1)}`;
  if (known.length) {
    root.append(svg('path', { class: 'belief-band', d: `M${known.map((i) => at(b.p90, i)).join('L')}L${[...known].reverse().map((i) => at(b.p10, i)).join('L')}Z` }),
      svg('path', { class: 'curve', d: `M${known.map((i) => at(b.p50, i)).join('L')}` }));
  }
  root.append(svg('line', { class: 'now', x1: px(0), y1: py(0), x2: px(Math.min(right, top)), y2: py(Math.min(right, top)) }));
  if (j.deadline !== null && !far) {
    root.append(svg('line', { class: 'asked', x1: px(0), x2: px(right), y1: py(j.deadline), y2: py(j.deadline) }),
      svg('text', { class: 'name', x: px(0) + 4, y: py(j.deadline) - 4 }, 'deadline'));
  } else if (far) root.append(svg('text', { class: 'tick', x: frame.width - 20, y: 12, 'text-anchor': 'end' }, `deadline: ${clock(moment, Number(j.deadline))}, above`));
}

/** @param {Watched} j */
function drawMoney(j) {
  frame.width = Math.max(320, byId('spent').clientWidth);
  const m = j.money, high = Math.max(m.p90, m.budget || 0, m.promised, m.charged || 0, 0.01) * 1.08, height = 132;
  const root = svg('svg', { viewBox: `0 0 ${frame.width} ${height}`, role: 'img', 'aria-label':
    `${m.mean.toFixed(2)} ${m.currency} in the end on average, ${m.p10.toFixed(2)} to ${m.p90.toFixed(2)}; promised ${m.promised.toFixed(2)}` });
  const px = (/** @type {number} */ v) => 90 + v / high * (frame.width - 110);
  for (const v of ticks(0, high, Math.max(2, Math.floor((frame.width - 110) / 80)))) {
    root.append(svg('line', { class: 'grid', x1: px(v), x2: px(v), y1: 8, y2: 104 }),
      svg('text', { class: 'tick', x: px(v), y: 120, 'text-anchor': 'middle' }, String(Number(v.toPrecision(6)))));
  }
  const row = (/** @type {number} */ y, /** @type {string} */ text) => root.append(svg('text', { class: 'tick', x: 82, y: y + 4, 'text-anchor': 'end' }, text));
  row(26, 'charged');
  if (m.charged !== null) root.append(svg('rect', { class: 'bar', x: px(0), y: 18, width: Math.max(1, px(m.charged) - px(0)), height: 16 }));
  else root.append(svg('text', { class: 'tick', x: px(0) + 6, y: 30 }, 'nobody tells of charges'));
  row(56, 'in the end');
  root.append(svg('line', { class: 'curve', x1: px(m.p10), x2: px(m.p90), y1: 56, y2: 56 }), svg('circle', { class: 'bar', cx: px(m.mean), cy: 56, r: 5 }));
  row(86, 'promised');
  root.append(svg('rect', { class: 'promise', x: px(m.promised) - 5, y: 81, width: 10, height: 10 }));
  if (m.budget !== null) root.append(svg('line', { class: 'asked', x1: px(m.budget), x2: px(m.budget), y1: 4, y2: 104 }),
    svg('text', { class: 'name', x: px(m.budget) - 5, y: 14, 'text-anchor': 'end' }, 'budget'));
  root.append(svg('text', { class: 'axis', x: 4, y: 120 }, m.currency));
  byId('spent').replaceChildren(root);
}

// ---- what happens ---------------------------------------------------------------------------------------------------

const canvas = (/** @type {string} */ id) => /** @type {HTMLCanvasElement} */ (byId(`${id}-canvas`));
let drawing = 0;
/** Frames and nodes are drawn once a picture of the screen, however much came. */
export function redraw() {
  if (drawing) return;
  drawing = requestAnimationFrame(() => {
    drawing = 0;
    if (!job) return;
    ink = inks();
    const strip = canvasPen(canvas('strip'), stripHeight), lanes = canvasPen(canvas('lanes'), lanesHeight());
    drawStrip(strip.pen, strip.width);
    drawLanes(lanes.pen, lanes.width, job);
    document.body.dataset.drawn = String(Number(document.body.dataset.drawn || 0) + 1);
  });
}

/** Frames as they are now: place, state, seconds, node, begun, ended. @param {(number | null)[][]} rows */
export function takeFrames(rows) {
  for (const [i, s, t, n, b, e] of rows) {
    const k = Number(i);
    state[k] = Number(s);
    seconds[k] = t === null ? NaN : t;
    node[k] = Number(n);
    begun[k] = b === null ? NaN : b;
    ended[k] = e === null ? NaN : e;
  }
  orderRuns();
  redraw();
}

/** @param {Watched} x */
export function takeJob(x) {
  if (!x.belief) return;
  if (x.fresh || x.all !== state.length) {
    state = new Uint8Array(x.all);
    [seconds, begun, ended] = [0, 1, 2].map(() => new Float32Array(x.all).fill(NaN));
    node = new Int32Array(x.all).fill(-1);
    const shots = Object.entries(x.shots || {});
    labels = shots.flatMap(([shot, all]) => all.map((one) => `${shot} ${one}`));
    Object.assign(view, { from: 0, many: x.all, at: 0 });
  }
  job = x;
  takeFrames(x.frames);
  drawBelief(x);
  drawMoney(x);
  let there = 0;
  for (const s of state) if (s === ARRIVED || s === USABLE) there++;
  document.body.dataset.there = String(there);
  document.body.dataset.paused = String(x.paused);
  canvas('strip').setAttribute('aria-label', `${there} of ${x.all} frames are there.`);
  canvas('lanes').setAttribute('aria-label', `${runs.length} runs on ${x.nodes.length} nodes.`);
  byId('lanes-said').textContent = x.nodes.length > most ? `The first ${most} of ${x.nodes.length} nodes.` : x.nodes.length ? '' : 'No node was told of.';
}

canvas('strip').addEventListener('keydown', (event) => {
  const step = { ArrowRight: 1, ArrowLeft: -1, PageDown: 100, PageUp: -100, Home: -1e9, End: 1e9 }[event.key] || 0;
  const factor = { '+': 0.5, '-': 2 }[event.key] || 1;
  if (!step && factor === 1) return;
  event.preventDefault();
  view.at = Math.max(0, Math.min(state.length - 1, view.at + step));
  nearer(factor);
  byId('strip-said').textContent = saysOf(view.at);
  redraw();
});
canvas('strip').addEventListener('pointermove', (event) => {
  const room = canvas('strip').clientWidth - left - 8;
  view.at = Math.max(0, Math.min(state.length - 1, view.from + Math.floor((event.offsetX - left) / room * view.many)));
  byId('strip-said').textContent = saysOf(view.at);
  redraw();
});
canvas('lanes').addEventListener('keydown', (event) => {
  const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 10, ArrowUp: -10 }[event.key] || 0;
  if (!step || !runs.length) return;
  event.preventDefault();
  const at = Math.max(0, Math.min(runs.length - 1, runs.indexOf(view.run) + step));
  view.run = runs[at];
  byId('lanes-said').textContent = saysOf(view.run);
  redraw();
});

const frameRows = () => [['frame', 'state', 'seconds', 'node', 'begun_s', 'ended_s'], ...labels.map((label, i) => [label, names[state[i]],
  ...[seconds[i]].map((v) => Number.isNaN(v) ? '' : v), job && node[i] >= 0 ? job.nodes[node[i]] : '', ...[begun[i], ended[i]].map((v) => Number.isNaN(v) ? '' : v)])];
files.set('strip', { rows: frameRows, picture: () => svgPen(canvas('strip').clientWidth, stripHeight, (pen) => drawStrip(pen, canvas('strip').clientWidth)) });
files.set('lanes', { rows: frameRows, picture: () => svgPen(canvas('lanes').clientWidth, lanesHeight(), (pen) => job && drawLanes(pen, canvas('lanes').clientWidth, job)) });
files.set('belief', { rows: () => [['at_s', 'p10', 'p50', 'p90'], ...(job ? job.belief.at_s.map((_, i) => (/** @type {const} */ (['at_s', 'p10', 'p50', 'p90'])).map((name) => {
  const value = job ? job.belief[name][i] : null;
  return value === null ? '' : value;
})) : [])] });
files.set('spent', { rows: () => job ? [Object.keys(job.money), Object.values(job.money).map((v) => v === null ? '' : v)] : [] });
Object.assign(keys, { f: () => canvas('strip').focus(), n: () => canvas('lanes').focus() });
shiny.addCustomMessageHandler('watched', takeJob);
let width = 0;
new ResizeObserver(() => {
  if (byId('strip').clientWidth === width || !job) return;
  width = byId('strip').clientWidth;
  redraw();
  drawBelief(job);
  drawMoney(job);
}).observe(byId('strip'));
matchMedia('(prefers-color-scheme: dark)').addEventListener('change', redraw);
