// @ts-check
// The limit of a shot in the view of what is known: noise against samples, with the target to be dragged.
import { byId, duration, field, files, frame, plot, shiny, svg } from './page.js';

/**
 * @typedef {{frame: number, governs: boolean, samples: number[], noise: number[], curve: number[], lower: number[],
 *   upper: number[], time: number[]}} FrameFit
 * @typedef {{shot: string, at: number[], frames: FrameFit[], targets: number[], needs: number[], target: number}} Limit
 */

/** @type {Limit | null} */
let limit = null;
/** How heights of the figure become targets, while it is drawn. @type {((y: number) => number) | null} */
let targetAt = null;
let told = 0;

const share = (/** @type {number} */ v) => `${Number((100 * v).toPrecision(3))} %`;
const log = Math.log10;

/** The target that the slider stands for: one of those whose samples are known. @param {Limit} x */
const targetOf = (x) => Number(field('target').value);

/** @param {Limit} x */
function draw(x) {
  frame.width = Math.max(320, byId('limit').clientWidth);
  const k = targetOf(x), target = x.targets[k], needs = x.needs[k];
  const low = log(x.targets[0]), high = log(x.targets[x.targets.length - 1]), left = log(x.at[0]), right = log(x.at[x.at.length - 1]);
  const powers = (/** @type {number} */ from, /** @type {number} */ to, /** @type {number[]} */ steps) => {
    const out = [];
    for (let p = Math.floor(from); p <= to; p++) for (const s of steps) if (log(s) + p >= from && log(s) + p <= to) out.push(log(s) + p);
    return out;
  };
  const counts = [];
  for (let n = 1; log(n) <= right; n *= 4) if (log(n) >= left) counts.push(log(n));
  const worst = x.frames.find((f) => f.governs) || x.frames[0];
  const took = needs > 0 ? duration(timeAt(x, worst, needs)) : '';
  const about = needs > 0 ? `A noise of ${share(target)} takes ${needs} samples, ${took} a frame.` : `No count of samples can be promised for a noise of ${share(target)}.`;
  const { root, px, py } = plot('limit', about, [left, right], [low, high], counts, powers(low, high, [1, 2, 5]), (v) => String(Math.round(10 ** v)),
    (v) => share(10 ** v), 'samples a pixel', 'noise');
  const line = (/** @type {number[]} */ ys) => ys.map((y, i) => `${i ? 'L' : 'M'}${px(log(x.at[i])).toFixed(1)},${py(Math.max(low, log(y))).toFixed(1)}`).join('');
  const back = (/** @type {number[]} */ ys) => line(ys).slice(1).split('L').reverse().join('L');
  root.append(svg('path', { class: 'belief-band', d: `${line(worst.upper)}L${back(worst.lower)}Z` }));
  for (const f of x.frames) {
    root.append(svg('path', { class: f === worst ? 'curve' : 'promise', d: line(f.curve) }));
    f.samples.forEach((n, i) => {
      const mark = svg('g', { class: 'option fits' });
      mark.append(svg('circle', { cx: px(log(n)), cy: py(log(f.noise[i])), r: 4.5 }), svg('title', {}, `frame ${f.frame}, ${n} samples: ${share(f.noise[i])}`));
      root.append(mark);
    });
    const end = Math.round(0.25 * x.at.length);
    root.append(svg('text', { class: 'tick', x: px(log(x.at[end])) + 8, y: py(log(f.curve[end])) - 6 - (f === worst ? 14 : 0) }, `frame ${f.frame}${f === worst ? ', needs most' : ''}`));
  }
  const across = svg('line', { class: 'asked dragged', x1: px(left), x2: px(right), y1: py(log(target)), y2: py(log(target)) });
  root.append(across, svg('text', { class: 'name', x: px(left) + 6, y: py(log(target)) - 6 }, `target ${share(target)}`));
  if (needs > 0 && log(needs) <= right) {
    root.append(svg('line', { class: 'asked', x1: px(log(needs)), x2: px(log(needs)), y1: py(log(target)), y2: py(low) }),
      svg('text', { class: 'name', x: px(log(needs)) + 6, y: py(log(target)) - 6 }, `${needs} samples, ${took}`));
  }
  targetAt = (y) => 10 ** (low + (frame.height - frame.bottom - y) / (frame.height - frame.top - frame.bottom) * (high - low));
  byId('target-said').textContent = share(target);
  field('target').setAttribute('aria-valuetext', about);
}

/** The time of a count of samples, between those that came. @param {Limit} x @param {FrameFit} f @param {number} n */
function timeAt(x, f, n) {
  const i = Math.min(Math.max(x.at.findIndex((v) => v >= n), 1), x.at.length - 1), from = x.at[i - 1], to = x.at[i];
  return f.time[i - 1] + (f.time[i] - f.time[i - 1]) * (n - from) / (to - from);
}

function moved() {
  if (!limit) return;
  draw(limit);
  clearTimeout(told);
  const target = limit.targets[targetOf(limit)];
  told = window.setTimeout(() => shiny.setInputValue('target_noise', target), 100);
}

/** The slider as near as it can be to a target. @param {Limit} x @param {number} target */
function put(x, target) {
  const far = x.targets.map((t) => Math.abs(Math.log(t / target)));
  field('target').value = String(far.indexOf(Math.min(...far)));
  moved();
}

shiny.addCustomMessageHandler('limit', (/** @type {Limit} */ x) => {
  limit = x;
  field('target').max = String(x.targets.length - 1);
  byId('limit-part').hidden = false;
  put(x, x.target);
});
field('target').addEventListener('input', moved);
let dragging = false;
byId('limit').addEventListener('pointerdown', (event) => { dragging = true; byId('limit').setPointerCapture(event.pointerId); drag(event); });
byId('limit').addEventListener('pointermove', (event) => { if (dragging) drag(event); });
byId('limit').addEventListener('pointerup', () => { dragging = false; });
/** @param {PointerEvent} event */
function drag(event) {
  const picture = byId('limit').querySelector('svg');
  if (!picture || !limit || !targetAt) return;
  const box = picture.getBoundingClientRect();
  put(limit, targetAt((event.clientY - box.top) / box.height * frame.height));
}
new ResizeObserver(() => { if (limit && Math.max(320, byId('limit').clientWidth) !== frame.width) draw(limit); }).observe(byId('limit'));
files.set('limit', { rows: () => [['frame', 'samples', 'noise'], ...(limit ? limit.frames.flatMap((f) => f.samples.map((n, i) => [f.frame, n, f.noise[i]])) : [])] });
