// @ts-check
// The view that decides: what is asked is judged again here at every move of a slider, on draws that came once.
import { byId, clock, duration, field, files, frame, jquery, keys, money, numbers, percent, plot, roomFor, shiny, svg, tableRows, ticks, timeTicks } from './page.js';

/**
 * @typedef {{options: string[], sites: string[], nodes: number[], own: boolean[], n: number, noise: number[], finish_p50: number[],
 *   cost_mean: number[], evidence: string[], finish: string, cost: string, now: number, zone: string,
 *   currency: string, digits: number, longest: number, dearest: number, asked: Record<string, any>}} Facts
 * @typedef {{deadline: number, budget: number, confidence: number, rule: string, together: boolean,
 *   noise: number, only: Set<string>, nodes: Set<string>, without: Set<string>}} Question
 * @typedef {{chance: Float64Array, fits: boolean[], pick: number}} Judged
 */

/** @type {Facts | null} */
let facts = null;
/** @type {Float64Array} */
let finish = new Float64Array();
/** Whole minor units of the currency, so that a cost which is just the budget is within it. @type {Float64Array} */
let cost = new Float64Array();
/** Points of the finish and the cost of each option: 10, 50 and 90 of 100. @type {number[][]} */
let finishAt = [];
/** @type {number[][]} */
let costAt = [];

// ---- judging --------------------------------------------------------------------------------------------------------

/** Whether an option is asked about: not left out, not beside what is pinned, clean enough.
 * @param {Facts} f @param {Question} q @param {number} i */
const asked = (f, q, i) => !q.without.has(f.sites[i]) && (!q.only.size || q.only.has(f.sites[i])) &&
  (!q.nodes.size || q.nodes.has(`nodes=${f.nodes[i]}`)) && (q.noise === Infinity || f.noise[i] <= q.noise * (1 + 1e-9));

/** A budget in whole minor units: what is beyond them cannot be spent. R's whole_budget() is the same.
 * @param {number} budget @param {number} digits */
export const wholeBudget = (budget, digits) => Number.isFinite(budget) ? Math.floor(budget * 10 ** digits + 1e-6) : budget;

/** Which options keep what is asked in as many draws as are asked for, and which is taken.
 * @param {Facts} f @param {Question} q @returns {Judged} */
export function judge(f, q) {
  const count = f.options.length;
  const needed = Math.max(1, Math.ceil(q.confidence * f.n - 1e-9));
  const chance = new Float64Array(count);
  const most = wholeBudget(q.budget, f.digits);
  const fits = new Array(count).fill(false);
  for (let i = 0; i < count; i++) {
    if (!asked(f, q, i)) continue;
    let both = 0, time = 0, money = 0;
    for (let k = i * f.n; k < (i + 1) * f.n; k++) {
      const early = finish[k] <= q.deadline && Number.isFinite(finish[k]), cheap = cost[k] <= most;
      if (early) time++;
      if (cheap) money++;
      if (early && cheap) both++;
    }
    chance[i] = (q.together ? both : Math.min(time, money)) / f.n;
    fits[i] = q.together ? both >= needed : time >= needed && money >= needed;
  }
  const fitting = fits.map((fit, i) => fit ? i : -1).filter((i) => i >= 0);
  return { chance, fits, pick: first(f, q.rule, fitting) };
}

/** The first of what fits by a rule; of costs that are the same one's own, then the earliest.
 * @param {Facts} f @param {string} rule @param {number[]} fitting @returns {number} */
function first(f, rule, fitting) {
  if (!fitting.length) return -1;
  /** @type {((i: number) => any)[]} */
  const by = rule === 'fastest' ? [(i) => f.finish_p50[i], (i) => f.cost_mean[i], (i) => !f.own[i], (i) => f.noise[i]]
    : rule === 'best' ? [(i) => f.noise[i], (i) => f.cost_mean[i], (i) => !f.own[i], (i) => f.finish_p50[i]]
    : [(i) => f.cost_mean[i], (i) => !f.own[i], (i) => f.finish_p50[i], (i) => f.noise[i]];
  /** @param {number[]} which @param {((i: number) => any)[]} keys */
  const sorted = (which, keys) => [...which].sort((a, b) => {
    for (const key of keys) {
      const x = Number(key(a)), y = Number(key(b));
      if (x !== y) return x - y;
    }
    return f.options[a] < f.options[b] ? -1 : 1;
  });
  const order = sorted(fitting, by);
  if (rule !== 'cheapest') return order[0];
  const same = order.filter((i) => f.cost_mean[i] <= f.cost_mean[order[0]] * 1.005 + 0.005);
  return sorted(same, [(i) => !f.own[i], (i) => f.finish_p50[i]])[0];
}

/** @returns {Question} */
function question() {
  const rule = /** @type {HTMLInputElement | null} */ (document.querySelector('input[name=rule]:checked'));
  const checked = (/** @type {string} */ name) => new Set([...document.querySelectorAll(`input[name=${name}]:checked`)]
    .map((box) => /** @type {HTMLInputElement} */ (box).value));
  const end = (/** @type {string} */ id) => atEnd(id) ? Infinity : Number(field(id).value);
  return { deadline: end('deadline'), budget: end('budget'), confidence: Number(field('confidence').value),
    rule: rule ? rule.value : 'cheapest', together: !field('each').checked,
    noise: end('noise'), only: checked('only'), nodes: checked('nodes'), without: checked('without') };
}

/** Of a range that is at its end nothing is asked. @param {string} id */
const atEnd = (id) => id !== 'confidence' && Number(field(id).value) >= Number(field(id).max);

// ---- drawing --------------------------------------------------------------------------------------------------------

/** The marks of the trade-off as they were drawn last: while its axes are the same only what changes is touched.
 * @type {{axes: string, marks: Map<number, Element>, over: Element, px: (v: number) => number, py: (v: number) => number} | null} */
let tradeoff = null;

/** @param {Facts} f @param {Question} q @param {Judged} j */
function drawTradeoff(f, q, j) {
  frame.width = Math.max(320, byId('tradeoff').clientWidth);
  const shown = f.options.map((_, i) => i).filter((i) => asked(f, q, i) && Number.isFinite(finishAt[i][1]));
  const right = Math.max(...shown.map((i) => Math.min(finishAt[i][2], 3 * finishAt[i][1])), Number.isFinite(q.deadline) ? q.deadline : 0, 1) * 1.03;
  const top = Math.max(...shown.map((i) => Math.min(costAt[i][2], 3 * costAt[i][1])), Number.isFinite(q.budget) ? q.budget : 0, 0.01) * 1.05;
  const about = j.pick < 0 ? `None of ${shown.length} options fits.`
    : `${f.options[j.pick]} of ${shown.length} options is picked; ${j.fits.filter(Boolean).length} fit.`;
  const axes = [frame.width, right, top, ...shown].join(' ');
  if (!tradeoff || tradeoff.axes !== axes || !byId('tradeoff').contains(tradeoff.over)) {
    const { root, px, py } = plot('tradeoff', about, [0, right], [0, top], timeTicks(f, right, roomFor()), ticks(0, top), (v) => clock(f, v),
      (v) => String(Number(v.toPrecision(6))), 'finish', f.currency);
    const marks = new Map(), over = svg('g', {});
    for (const i of shown) {
      const x = px(finishAt[i][1]), y = py(costAt[i][1]), mark = svg('g', {});
      mark.append(svg('line', { x1: px(finishAt[i][0]), x2: px(Math.min(finishAt[i][2], right)), y1: y, y2: y }),
        svg('line', { x1: x, x2: x, y1: py(costAt[i][0]), y2: py(Math.min(costAt[i][2], top)) }), svg('circle', { cx: x, cy: y, r: 4.5 }),
        svg('title', {}, `${f.options[i]}: ${clock(f, finishAt[i][1])}, ${money(f, costAt[i][1])}`));
      marks.set(i, mark);
      root.append(mark);
    }
    root.append(over);
    tradeoff = { axes, marks, over, px, py };
  }
  const { marks, over, px, py } = tradeoff;
  (/** @type {Element} */ (over.parentNode)).setAttribute('aria-label', about);
  for (const [i, mark] of marks) {
    const kind = i === j.pick ? 'option picked' : j.fits[i] ? 'option fits' : 'option';
    if (mark.getAttribute('class') !== kind) mark.setAttribute('class', kind);
  }
  const parts = [];
  if (Number.isFinite(q.deadline)) parts.push(svg('line', { class: 'asked', x1: px(q.deadline), x2: px(q.deadline), y1: frame.top, y2: py(0) }));
  if (Number.isFinite(q.budget)) parts.push(svg('line', { class: 'asked', x1: px(0), x2: px(right), y1: py(q.budget), y2: py(q.budget) }));
  if (marks.has(j.pick)) {
    const x = px(finishAt[j.pick][1]), y = py(costAt[j.pick][1]), end = x > frame.width / 2, picked = svg('g', { class: 'option picked' });
    picked.append(svg('rect', { x: x - 6, y: y - 6, width: 12, height: 12 }),
      svg('title', {}, `${f.options[j.pick]}: ${clock(f, finishAt[j.pick][1])}, ${money(f, costAt[j.pick][1])}, ${percent(j.chance[j.pick])}`));
    parts.push(picked, svg('text', { class: 'name', x: end ? x - 10 : x + 10, y: y - 10, 'text-anchor': end ? 'end' : 'start' }, f.options[j.pick]));
  }
  over.replaceChildren(...parts);
}

/** @param {Facts} f @param {Question} q @param {Judged} j */
function drawChance(f, q, j) {
  frame.width = Math.max(320, byId('chance').clientWidth);
  const i = j.pick;
  if (i < 0) {
    byId('chance').replaceChildren(Object.assign(document.createElement('p'), { className: 'waiting', textContent: 'No option fits.' }));
    return;
  }
  const ends = [...finish.subarray(i * f.n, (i + 1) * f.n)].filter(Number.isFinite).sort((a, b) => a - b);
  const right = Math.max(ends[ends.length - 1] || 1, Number.isFinite(q.deadline) ? q.deadline : 0) * 1.03;
  const by = ends.filter((t) => t <= q.deadline).length / f.n;
  const about = `${f.options[i]}: finished by ${Number.isFinite(q.deadline) ? clock(f, q.deadline) : 'any time'}: ${percent(by)}.`;
  const { root, px, py } = plot('chance', about, [0, right], [0, 1], timeTicks(f, right, roomFor()), [0, 0.25, 0.5, 0.75, 1], (v) => clock(f, v), percent, 'finish', 'finished by then');
  let path = `M${px(0)},${py(0)}`;
  const step = Math.max(1, Math.floor(ends.length / 400));
  for (let k = 0; k < ends.length; k += step) path += `L${px(ends[k]).toFixed(1)},${py((k + 1) / f.n).toFixed(1)}`;
  path += `L${px(right)},${py(ends.length / f.n)}`;
  root.append(svg('path', { class: 'curve', d: path }));
  if (Number.isFinite(q.deadline)) root.append(svg('line', { class: 'asked', x1: px(q.deadline), x2: px(q.deadline), y1: frame.top, y2: py(0) }));
}

/** How many options are listed before all are asked for: a long table takes longer to lay out than all else. */
const mostRows = 40;
let allOptions = false;

/** @param {Facts} f @param {Question} q @param {Judged} j */
function fillOptions(f, q, j) {
  const table = byId('options');
  const cells = (/** @type {string} */ kind, /** @type {string[]} */ texts) => texts.map((text, k) => {
    const cell = document.createElement(kind);
    cell.textContent = text;
    if (kind === 'th') cell.setAttribute('scope', 'col');
    if (k > 1) cell.className = 'number';
    return cell;
  });
  const head = document.createElement('tr');
  head.append(...cells('th', ['option', 'fits', 'finish', '80 % range', `cost, ${f.currency}`, '80 % range', 'likely', 'speed']));
  const order = f.options.map((_, i) => i).filter((i) => asked(f, q, i))
    .sort((a, b) => Number(b === j.pick) - Number(a === j.pick) || Number(j.fits[b]) - Number(j.fits[a]) || f.cost_mean[a] - f.cost_mean[b]);
  const rows = order.slice(0, allOptions ? order.length : mostRows).map((i) => {
    const row = document.createElement('tr');
    if (i === j.pick) row.className = 'picked';
    row.append(...cells('td', [f.options[i], i === j.pick ? 'picked' : j.fits[i] ? 'fits' : 'does not fit', clock(f, finishAt[i][1]),
      `${clock(f, finishAt[i][0])} to ${clock(f, finishAt[i][2])}`, f.cost_mean[i].toFixed(2),
      `${costAt[i][0].toFixed(2)}-${costAt[i][2].toFixed(2)}`, percent(j.chance[i]), f.evidence[i]]));
    return row;
  });
  /** @type {any} */ (table).tHead.replaceChildren(head);
  /** @type {any} */ (table).tBodies[0].replaceChildren(...rows);
  const more = byId('all-options');
  more.hidden = allOptions || order.length <= mostRows;
  more.textContent = `Show all ${order.length}`;
}

/** Where on a slider's own track the pick changes. @param {Facts} f @param {string} id @param {Question} q */
function drawMarks(f, id, q) {
  const slider = field(id), least = Number(slider.min), most = Number(slider.max), marks = [];
  const steps = Math.max(12, Math.min(120, Math.floor(4e6 / (f.n * f.options.length))));
  let last = null;
  for (let k = 0; k <= steps; k++) {
    const at = least + (most - least) * k / steps;
    const pick = judge(f, { ...q, [id]: id !== 'confidence' && k === steps ? Infinity : at }).pick;
    if (last !== null && pick !== last) {
      const mark = document.createElement('span');
      // The thumb is 16 px wide: its middle goes from 8 px to 8 px before the end.
      mark.style.left = `calc(8px + (100% - 16px) * ${(k - 0.5) / steps})`;
      mark.title = pick < 0 ? 'from here on nothing fits' : `from here on: ${f.options[pick]}`;
      marks.push(mark);
    }
    last = pick;
  }
  byId(`${id}-marks`).replaceChildren(...marks);
}

// ---- what happens ---------------------------------------------------------------------------------------------------

const sliders = ['deadline', 'budget', 'confidence', 'noise'];
let marking = 0;
/** All that follows from the question, at once; the marks a moment after it rests. */
function judged() {
  if (!facts) return;
  const f = facts, q = question(), j = judge(f, q);
  byId('deadline-said').textContent = Number.isFinite(q.deadline) ? `${clock(f, q.deadline)}, in ${duration(q.deadline)}` : 'any time';
  byId('budget-said').textContent = Number.isFinite(q.budget) ? money(f, q.budget) : 'any cost';
  byId('confidence-said').textContent = percent(q.confidence);
  byId('noise-said').textContent = Number.isFinite(q.noise) ? `${Number(q.noise.toPrecision(3))} times that of the shot's own limit` : 'any, or unknown';
  for (const id of sliders) field(id).setAttribute('aria-valuetext', byId(`${id}-said`).textContent || '');
  drawTradeoff(f, q, j);
  drawChance(f, q, j);
  fillOptions(f, q, j);
  document.body.dataset.pick = j.pick < 0 ? '' : f.options[j.pick];
  clearTimeout(marking);
  marking = window.setTimeout(() => sliders.filter((id) => byId(id).closest('[hidden]') === null).forEach((id) => drawMarks(f, id, q)), 200);
}

/** A range's least step: one that looks round. @param {number} most */
const roundStep = (most) => [0.0001, 0.0005, 0.001, 0.01, 0.1, 0.5, 1, 5, 10, 60, 300, 600, 900, 1800, 3600, 21600].find((s) => most / s <= 300) || most / 200;

/** @param {Facts} x */
export function takeFacts(x) {
  facts = x;
  finish = numbers(x.finish);
  cost = numbers(x.cost);
  const points = (/** @type {Float64Array} */ all) => x.options.map((_, i) => {
    const sorted = all.slice(i * x.n, (i + 1) * x.n).sort();
    return [0.1, 0.5, 0.9].map((p) => sorted[Math.max(0, Math.ceil(p * x.n) - 1)]);
  });
  finishAt = points(finish);
  costAt = points(cost.map((minor) => minor / 10 ** x.digits));
  const kept = new URLSearchParams(location.search);
  /** @type {[string, number, any][]} */
  const ranges = [['deadline', x.longest, x.asked.deadline_s], ['budget', x.dearest, x.asked.budget]];
  const known = x.noise.filter((v) => v < 1e300), differ = new Set(x.noise).size > 1 && known.length > 0;
  /** @type {HTMLElement} */ (field('noise').closest('.field')).hidden = !differ;
  if (differ) ranges.push(['noise', 1.5 * Math.max(...known), 'none']);
  for (const [id, most, asked] of ranges) {
    const step = roundStep(most), end = Math.ceil(most / step) * step, slider = field(id);
    const given = kept.get(id);
    slider.step = String(step);
    slider.max = String(end);
    const value = given !== null ? (given.includes('none') ? end : Number(given)) : asked === 'none' ? end : asked;
    // What was asked stands as it was, between two steps too.
    if (value < end && value % step) slider.step = 'any';
    slider.value = String(value);
    slider.addEventListener('input', () => { slider.step = String(step); }, { once: true });
  }
  if (!kept.has('confidence')) field('confidence').value = String(x.asked.confidence);
  if (!kept.has('rule')) {
    const rule = /** @type {HTMLInputElement | null} */ (document.querySelector(`input[name=rule][value=${x.asked.rule}]`));
    if (rule) rule.click();
  }
  byId('said').setAttribute('aria-busy', 'false');
  for (const [id] of ranges) jquery(field(id)).trigger('change');
  jquery(field('confidence')).trigger('change');
  judged();
}

// A range as an input of shiny: at its end it says none.
const rangeBinding = new shiny.InputBinding();
Object.assign(rangeBinding, {
  find: (/** @type {any} */ scope) => jquery(scope).find('input.page-range'),
  getValue: (/** @type {HTMLInputElement} */ el) => atEnd(el.id) ? 'none' : Number(el.value),
  setValue: (/** @type {HTMLInputElement} */ el, /** @type {any} */ value) => { el.value = String(value); },
  subscribe: (/** @type {any} */ el, /** @type {(late: boolean) => void} */ said) => {
    jquery(el).on('input.page change.page', () => said(true));
  },
  unsubscribe: (/** @type {any} */ el) => jquery(el).off('.page'),
  getRatePolicy: () => ({ policy: 'debounce', delay: 40 }),
});
shiny.inputBindings.register(rangeBinding, 'clockpigeon.range');
byId('all-options').addEventListener('click', () => { allOptions = true; judged(); });
shiny.addCustomMessageHandler('facts', takeFacts);
if (shiny.shinyapp && shiny.bindAll) shiny.bindAll(document.body);

let width = 0;
new ResizeObserver(() => {
  if (byId('tradeoff').clientWidth === width) return;
  width = byId('tradeoff').clientWidth;
  judged();
}).observe(byId('tradeoff'));
document.addEventListener('input', judged);
document.addEventListener('change', judged);
for (const id of ['tradeoff', 'chance']) files.set(id, { rows: () => { allOptions = true; judged(); return tableRows('options'); } });
Object.assign(keys, { d: () => field('deadline').focus(), b: () => field('budget').focus(), c: () => field('confidence').focus(), n: () => field('noise').focus(),
  a: () => byId('said').scrollIntoView() });
