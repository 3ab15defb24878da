// What bench/page.R measures in a browser: node page.mjs ADDRESS MODULES [view ...]. Prints `name value unit` lines.
import { createRequire } from 'node:module';
import path from 'node:path';
const [address, modules, view] = process.argv.slice(2);
const { chromium } = createRequire(path.join(modules, 'x.js'))('playwright-core');
const browser = await chromium.launch({ executablePath: process.env.CHROMIUM || '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--js-flags=--expose-gc', '--enable-precise-memory-info'] });
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
const say = (name, value, unit) => console.log(`${name} ${Number(value.toPrecision(4))} ${unit}`);
const at = (all, p) => [...all].sort((a, b) => a - b)[Math.min(all.length - 1, Math.floor(p * all.length))];
await page.goto(address);
const origin = new URL(page.url()).origin;

const measures = {
  async first() {
    // From asking for the page to its figures; its draws were made before.
    const took = [];
    for (let k = 0; k < 5; k++) {
      const began = performance.now();
      await page.goto(`${origin}/?view=decide`);
      await page.waitForFunction(() => document.body.dataset.pick !== undefined, null, { polling: 10 });
      took.push((performance.now() - began) / 1000);
    }
    say('first_view_median', at(took, 0.5), 's');
    say('first_view_most', Math.max(...took), 's');
  },
  async slider() {
    await page.goto(`${origin}/?view=decide`);
    await page.waitForFunction(() => document.querySelector('#answer [data-pick]'));
    const said = await page.evaluate(async () => {
      const slider = document.getElementById('deadline'), out = [];
      for (let k = 0; k < 12; k++) {
        slider.value = String(20000 + 3500 * k);
        const began = performance.now(), old = document.querySelector('#answer dl').textContent;
        slider.dispatchEvent(new Event('input', { bubbles: true }));
        slider.dispatchEvent(new Event('change', { bubbles: true }));
        await new Promise((resolve) => {
          const over = setTimeout(resolve, 5000);
          const look = () => { if (document.querySelector('#answer dl').textContent !== old) { clearTimeout(over); resolve(); } else requestAnimationFrame(look); };
          look();
        });
        out.push(performance.now() - began);
        await new Promise((resolve) => setTimeout(resolve, 2500));
      }
      return out;
    });
    say('sentences_after_slider_median', at(said, 0.5), 'ms');
    say('sentences_after_slider_p95', at(said, 0.95), 'ms');
    const took = await page.evaluate(async () => {
      const { takeFacts } = await import('/page/decide.js');
      const options = 500, n = 2000, finish = new Float32Array(options * n), cost = new Float32Array(options * n);
      for (let i = 0; i < options; i++) for (let k = 0; k < n; k++) {
        finish[i * n + k] = (3600 + 150 * i) * Math.exp(0.3 * (Math.random() + Math.random() - 1));
        cost[i * n + k] = (120 - 0.2 * i) * Math.exp(0.2 * (Math.random() + Math.random() - 1));
      }
      const text = (all) => { let out = ''; const bytes = new Uint8Array(all.buffer); for (let k = 0; k < bytes.length; k += 3 * 4096) out += btoa(String.fromCharCode(...bytes.subarray(k, k + 3 * 4096))); return out; };
      const each = (f) => Array.from({ length: options }, (_, i) => f(i));
      takeFacts({ options: each((i) => `site-${i % 20} day, ${i} nodes`), sites: each((i) => `site-${i % 20}`), own: each((i) => i % 9 === 0), n,
        noise: each(() => 0.05), finish_p50: each((i) => 3600 + 150 * i), cost_mean: each((i) => 120 - 0.2 * i), evidence: each(() => 'measured'),
        finish: text(finish), cost: text(cost), now: Date.now() / 1000, zone: 'UTC', currency: 'EUR', longest: 120000, dearest: 180,
        asked: { deadline_s: 40000, budget: 90, confidence: 0.9, rule: 'cheapest' } });
      const slider = document.getElementById('deadline'), out = [];
      for (let k = 0; k < 80; k++) {
        slider.value = String(20000 + 900 * k);
        const began = performance.now();
        slider.dispatchEvent(new Event('input', { bubbles: true }));
        await new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve, 0)));
        out.push(performance.now() - began);
        await new Promise((resolve) => setTimeout(resolve, 30));
      }
      return out;
    });
    say('slider_repaint_median', at(took, 0.5), 'ms');
    say('slider_repaint_p95', at(took, 0.95), 'ms');
  },
  async table() {
    await page.goto(`${origin}/?view=evidence`);
    await page.waitForFunction(() => /Showing/.test((document.querySelector('.dataTables_info') || {}).textContent || ''), null, { timeout: 120000 });
    const took = [];
    for (const word of ['basin', 'basin sun', 'loft-2', 'gears 4.2', 'failed', 'quayside', 'nothing at all', '']) {
      const began = performance.now(), old = await page.locator('.dataTables_info').textContent();
      await page.locator('.dataTables_filter input').fill(word);
      await page.waitForFunction((old) => document.querySelector('.dataTables_info').textContent !== old, old, { polling: 10, timeout: 20000 });
      took.push(performance.now() - began);
    }
    say('table_filter_median', at(took, 0.5), 'ms');
    say('table_filter_most', Math.max(...took), 'ms');
  },
  async strip() {
    await page.goto(`${origin}/?view=running`);
    await page.waitForTimeout(2000);
    const [drawn, seconds, grown] = await page.evaluate(async () => {
      const { takeJob, takeFrames } = await import('/page/running.js');
      const all = 10000, nodes = 24, rows = [];
      for (let i = 0; i < all / 2; i++) rows.push([i, 3, 20 + 10 * Math.random(), i % nodes, 25 * Math.floor(i / nodes), 25 * Math.floor(i / nodes) + 22]);
      const belief = { at_s: [], p10: [], p50: [], p90: [] };
      for (let k = 0; k < 400; k++) { belief.at_s.push(13 * k); belief.p10.push(10000 - k); belief.p50.push(10400 - k); belief.p90.push(11000 - 2 * k); }
      const job = (now, fresh, frames) => ({ all, fresh, shots: fresh ? { gears: Array.from({ length: all }, (_, i) => i + 1) } : null, frames,
        nodes: Array.from({ length: nodes }, (_, k) => `node-${k + 1}`), now, placed: Date.now() / 1000 - now, zone: 'UTC', deadline: 20000, belief,
        paused: false, stopped: false, money: { currency: 'EUR', p10: 8, p50: 9, p90: 10, mean: 9, charged: 4, budget: 20, promised: 8.5 } });
      takeJob(job(5200, true, rows));
      await new Promise((resolve) => setTimeout(resolve, 500));
      const before = Number(document.body.dataset.drawn), began = performance.now();
      for (let k = 0; k < 500; k++) {
        const i = 5000 + k;
        takeFrames([[i, 3, 25, i % nodes, 5200 + k, 5222 + k]]);
        await new Promise((resolve) => setTimeout(resolve, Math.max(0, 20 * (k + 1) - (performance.now() - began))));
      }
      const took = (performance.now() - began) / 1000, count = Number(document.body.dataset.drawn) - before;
      // Eight hours of looks, two seconds apart, as quick as they can be taken.
      const heap = () => { for (let k = 0; k < 5; k++) globalThis.gc(); return performance.memory.usedJSHeapSize; };
      for (let k = 0; k < 500; k++) takeJob(job(5200 + k, false, [[k, 3, 25, 1, 100, 125]]));
      await new Promise((resolve) => setTimeout(resolve, 300));
      const small = heap();
      for (let k = 0; k < 14400; k++) {
        takeJob(job(5200 + 2 * k, false, [[k % all, 3, 25, k % nodes, 2 * k, 2 * k + 20]]));
        if (k % 50 === 0) await new Promise((resolve) => requestAnimationFrame(resolve));
      }
      await new Promise((resolve) => setTimeout(resolve, 500));
      return [count, took, heap() / small - 1];
    });
    say('strip_redraws', drawn / seconds, 'per_s');
    say('browser_memory_growth_8h', 100 * grown, '%');
  },
};
await measures[view]();
await browser.close();
