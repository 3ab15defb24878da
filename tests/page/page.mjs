// The page in a real browser: node page.mjs COMMAND FOLDER. COMMAND is the installed clockpigeon, FOLDER has a copy of
// the demo project, tide-clock.
// Prints a line for each test with its time, and last `N passed, N failed`.
import { chromium } from 'playwright-core';
import { execFileSync, spawn } from 'node:child_process';
import { readFileSync, writeFileSync, existsSync } from 'node:fs';
import { createRequire } from 'node:module';
import http from 'node:http';
import path from 'node:path';

const [command, folder] = process.argv.slice(2);
const chromium_at = process.env.CHROMIUM || '/usr/bin/chromium';
if (!existsSync(chromium_at)) {
  console.log(`There is no ${chromium_at}: the page cannot be tested. On Debian: apt-get install chromium`);
  process.exit(1);
}
const project = path.join(folder, 'tide-clock');
// One moment for the page and for what the terminal says of the same question.
const env = { ...process.env, CLOCKPIGEON_NOW: '2026-11-26T22:00:00Z', NO_COLOR: '1', COLUMNS: '200' };
const question = ['--shots', 'gears', '--engine', 'sundew'];
const run = (...args) => execFileSync(command, args, { cwd: project, env, encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] });

/** Serves the page; its address, and how it is ended. */
function serve(...args) {
  const child = spawn(command, ['page', ...question, '--deadline', '20h', '--budget', '60EUR', '--no-open', '--for', '20min', ...args],
    { cwd: project, env });
  let said = '';
  child.stderr.on('data', (text) => { said += text; });
  const address = new Promise((resolve, reject) => {
    const late = setTimeout(() => reject(new Error(`no address: ${said}`)), 60000);
    child.stdout.on('data', (text) => { clearTimeout(late); resolve(String(text).trim()); });
    child.on('exit', (code) => { clearTimeout(late); reject(new Error(`ended with ${code}: ${said}`)); });
  });
  const ended = new Promise((resolve) => child.on('exit', resolve));
  return { address, end: async () => { child.kill('SIGTERM'); await ended; } };
}

const args = ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'];
const browser = await chromium.launch({ executablePath: chromium_at, args });
const only = process.env.PAGE_TEST;
let passed = 0, failed = 0;
async function test(name, code) {
  if (only && !name.includes(only)) return;
  const began = performance.now();
  try {
    await code();
    passed++;
    console.log(`ok      ${name} (${((performance.now() - began) / 1000).toFixed(1)} s)`);
  } catch (error) {
    failed++;
    console.log(`FAILED  ${name}: ${error.message}`);
  }
}
function same(got, wanted, what) {
  if (JSON.stringify(got) !== JSON.stringify(wanted)) throw new Error(`${what}: got ${JSON.stringify(got)}, wanted ${JSON.stringify(wanted)}`);
}
function sure(holds, what) { if (!holds) throw new Error(what); }

/** A window with the page in it, once its draws are there. */
async function opened(address, options = {}) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, ...options });
  const page = await context.newPage();
  page.faults = [];
  page.on('pageerror', (error) => page.faults.push(error.message));
  await page.goto(address);
  await page.waitForFunction(() => document.body.dataset.pick !== undefined, null, { timeout: 15000 });
  return page;
}
const close = (page) => page.context().close();
/** The answer, once nothing more is searched. */
async function answer(page) {
  await page.waitForFunction(() => document.querySelector('#answer dl') && !document.querySelector('#answer .waiting') &&
    document.querySelector('#answer [data-pick]'), null, { timeout: 40000 }).catch(async () => {
    throw new Error(`no answer, but: ${await page.locator('#said').innerText()} (${page.url()})`);
  });
  return page.evaluate(() => ({ title: document.querySelector('#answer h2').textContent,
    says: [...document.querySelectorAll('#answer dd')].map((x) => x.textContent),
    pick: document.querySelector('#answer [data-pick]').dataset.pick }));
}
/** Until R has the question that the sliders ask: the address has it then, and its answer follows. */
async function settled(page) {
  const asked = await page.evaluate(() => ['deadline', 'budget', 'confidence'].map((id) => {
    const slider = document.getElementById(id);
    return `${id}=${id !== 'confidence' && Number(slider.value) >= Number(slider.max) ? '%22none%22' : Number(slider.value)}`;
  }));
  await page.waitForFunction((asked) => asked.every((one) => `${location.search}&`.includes(`${one}&`)), asked, { timeout: 30000 });
}
const squeezed = (text) => text.replace(/\s+/g, ' ');
/** What the terminal says of the question that the page's address keeps. */
async function terminal(page) {
  const kept = new URL(page.url()).searchParams;
  const value = (name) => JSON.parse(kept.get(name));
  const asked = ['--confidence', String(value('confidence')), '--rule', value('rule')];
  if (value('deadline') !== 'none') asked.push('--deadline', `${value('deadline')}s`);
  if (value('budget') !== 'none') asked.push('--budget', `${value('budget')}EUR`);
  const without = kept.get('without') && kept.get('without') !== 'null' ? [].concat(value('without')) : [];
  if (without.length) asked.push('--without', without.join(','));
  try {
    return squeezed(run('choose', ...question, ...asked));
  } catch (error) {
    // What does not fit ends with 3, and says the nearest.
    return squeezed(String(error.stdout));
  }
}
/** Moves a slider as a hand would. */
async function move(page, id, to) {
  await page.evaluate(([id, to]) => {
    const slider = document.getElementById(id);
    slider.value = to === 'end' ? slider.max : String(to);
    slider.dispatchEvent(new Event('input', { bubbles: true }));
    slider.dispatchEvent(new Event('change', { bubbles: true }));
  }, [id, to]);
}
function ask(address, headers = {}, way = '/') {
  const { port } = new URL(address);
  return new Promise((resolve, reject) => {
    http.get({ host: '127.0.0.1', port, path: way, headers }, (answer) => {
      let text = '';
      answer.on('data', (part) => { text += part; });
      answer.on('end', () => resolve({ status: answer.statusCode, headers: answer.headers, text }));
    }).on('error', reject);
  });
}
/** What comes over a WebSocket that is opened with these headers within some seconds. */
function socket(address, headers) {
  const { port } = new URL(address);
  return new Promise((resolve, reject) => {
    const request = http.request({ host: '127.0.0.1', port, path: '/websocket/', headers: { Connection: 'Upgrade', Upgrade: 'websocket',
      'Sec-WebSocket-Version': '13', 'Sec-WebSocket-Key': 'AAAAAAAAAAAAAAAAAAAAAA==', ...headers } });
    request.on('upgrade', (answer, wire) => {
      let text = '';
      wire.on('data', (part) => { text += part.toString('latin1'); });
      // {"method":"init","data":{}}, masked with zeros.
      const said = Buffer.from('{"method":"init","data":{}}');
      wire.write(Buffer.concat([Buffer.from([0x81, 0x80 | said.length, 0, 0, 0, 0]), said]));
      setTimeout(() => { wire.destroy(); resolve(text); }, 5000);
    });
    request.on('response', (answer) => resolve(`status ${answer.statusCode}`));
    request.on('error', reject);
    request.end();
  });
}

const site = serve();
const address = await site.address;
const { port, searchParams } = new URL(address);
const token = searchParams.get('token');
const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

await test('the answer is there, in the words of the terminal, and the address has no token', async () => {
  const page = await opened(address);
  sure(!page.url().includes('token'), 'the token is still in the address');
  const got = await answer(page);
  await page.waitForFunction(() => location.search.includes('deadline'));
  const said = await terminal(page);
  for (const text of got.says) sure(said.includes(squeezed(text)), `the terminal does not say: ${text}\nbut: ${said}`);
  same(page.faults, [], 'errors of the page');
  if (process.env.PAGE_SHOT) await page.screenshot({ path: process.env.PAGE_SHOT });
  await close(page);
});

await test('a slider moved by the keyboard changes the answer to what choose says', async () => {
  const page = await opened(address);
  const before = await answer(page);
  await page.keyboard.press('d');
  same(await page.evaluate(() => document.activeElement.id), 'deadline', 'what has the focus');
  await page.keyboard.press('Home');
  for (let k = 0; k < 9; k++) await page.keyboard.press('ArrowRight');
  await page.waitForFunction((title) => document.querySelector('#answer h2').textContent !== title, before.title);
  await settled(page);
  const got = await answer(page);
  const said = await terminal(page);
  for (const text of got.says) sure(said.includes(squeezed(text)), `the terminal does not say: ${text}\nbut: ${said}`);
  await close(page);
});

await test('sites that are left out are in no answer, and the address brings the same question back', async () => {
  const page = await opened(address);
  const pick = await page.evaluate(() => document.body.dataset.pick);
  const site = pick.split(' ')[0];
  await page.locator(`input[name=without][value=${site}]`).check();
  await page.waitForFunction((site) => !document.body.dataset.pick.startsWith(site), site);
  await page.waitForFunction(() => location.search.includes('without'));
  await settled(page);
  const got = await answer(page);
  sure(!got.title.startsWith(site), `still ${got.title}`);
  await page.reload();
  await page.waitForFunction(() => document.body.dataset.pick !== undefined);
  same((await answer(page)).title, got.title, 'the answer of the address');
  await close(page);
});

await test('marks on the track say where the pick changes', async () => {
  const page = await opened(address);
  await page.waitForSelector('#deadline-marks span', { state: 'attached' });
  const marks = await page.locator('#deadline-marks span').count();
  sure(marks >= 1, 'no mark');
  await close(page);
});

await test('figures are saved as SVG, PNG and CSV', async () => {
  const page = await opened(address);
  for (const [kind, begins] of [['svg', '<svg'], ['png', '\x89PNG'], ['csv', '"option"']]) {
    const waits = page.waitForEvent('download');
    await page.locator(`button.save[data-figure=tradeoff][data-kind=${kind}]`).click();
    const file = await (await waits).path();
    sure(readFileSync(file, 'latin1').startsWith(begins), `${kind} begins otherwise`);
  }
  await close(page);
});

for (const scheme of ['light', 'dark']) {
  await test(`nothing serious is found by axe, ${scheme}`, async () => {
    // What is injected for the test is not for the policy to judge.
    const page = await opened(address, { colorScheme: scheme, bypassCSP: true });
    await answer(page);
    await page.evaluate(axe);
    const found = await page.evaluate(async () => (await window.axe.run()).violations
      .map((v) => `${v.impact}: ${v.id} (${v.nodes.length}): ${v.nodes[0].html.slice(0, 120)}`));
    same(found, [], 'findings');
    await close(page);
  });
}

await test('at 200 % zoom nothing runs out of the window', async () => {
  const page = await opened(address, { viewport: { width: 640, height: 400 }, deviceScaleFactor: 2 });
  await answer(page);
  const over = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
  sure(over <= 0, `${over} px too wide`);
  await close(page);
});

await test('? shows the keys', async () => {
  const page = await opened(address);
  await page.keyboard.press('?');
  sure(await page.getByRole('dialog', { name: 'Keys' }).isVisible(), 'no keys');
  await page.keyboard.press('Escape');
  await close(page);
});

await test('without the token, from elsewhere or by another name there is nothing', async () => {
  const cookie = `clockpigeon-${port}=${token}`;
  same((await ask(address)).status, 403, 'no token');
  same((await ask(address, {}, `/?token=${'0'.repeat(token.length)}`)).status, 403, 'wrong token');
  same((await ask(address, { Cookie: cookie })).status, 200, 'the cookie');
  same((await ask(address, { Cookie: cookie, Origin: 'http://elsewhere.example' })).status, 403, 'another origin');
  same((await ask(address, { Cookie: cookie, Host: `elsewhere.example:${port}` })).status, 403, 'another host');
  const first = await ask(address, {}, `/?token=${token}`);
  sure(/HttpOnly/.test(first.headers['set-cookie'][0]) && /SameSite=Strict/.test(first.headers['set-cookie'][0]), 'the cookie is open');
  sure(/default-src 'none'/.test(first.headers['content-security-policy']), 'no policy');
  for (const way of ['/page/../../DESCRIPTION', '/page/..%2f..%2fDESCRIPTION', '/clockpigeon.yaml', '/ledger.sqlite']) {
    const got = await ask(address, { Cookie: cookie }, way);
    sure(got.status === 404 || got.status === 400 || got.status === 403, `${way}: ${got.status}`);
  }
});

await test('a WebSocket needs the cookie and an origin of the page', async () => {
  const cookie = `clockpigeon-${port}=${token}`, origin = `http://127.0.0.1:${port}`;
  sure((await socket(address, { Cookie: cookie, Origin: origin })).includes('facts'), 'the page itself gets nothing');
  for (const headers of [{ Origin: origin }, { Cookie: cookie, Origin: 'http://elsewhere.example' }, { Cookie: cookie },
    { Cookie: `clockpigeon-${port}=wrong`, Origin: origin }]) {
    const got = await socket(address, headers);
    sure(!got.includes('facts') && !got.includes('answer'), `${JSON.stringify(headers)} gets ${got.slice(0, 200)}`);
  }
});

await test('a program that is gone is said to be gone', async () => {
  const other = serve();
  const page = await opened(await other.address);
  await other.end();
  await page.waitForFunction(() => document.getElementById('connection').textContent.includes('lost'));
  await close(page);
});

await test('texts of files are texts', async () => {
  const file = path.join(project, 'clockpigeon.yaml');
  const was = readFileSync(file, 'utf8');
  writeFileSync(file, was.replace(/^(name|project): .*$/m, '$1: \'<img src=x onerror="window.hit = 1">\''));
  const other = serve();
  try {
    const page = await opened(await other.address);
    sure((await page.locator('h1').textContent()).includes('<img'), 'the name is not shown as it is');
    sure(await page.evaluate(() => window.hit === undefined && !document.querySelector('h1 img')), 'it was run');
    await close(page);
  } finally {
    writeFileSync(file, was);
    await other.end();
  }
});

await test('what the browser picks by itself is what R picks, for other questions', async () => {
  // Its searches take long: they are of a page of its own.
  const other = serve();
  const page = await opened(await other.address);
  const kinds = ['cheapest', 'fastest', 'best'], picks = new Set();
  for (let k = 0; k < 12; k++) {
    await page.locator(`input[name=rule][value=${kinds[k % 3]}]`).check();
    await page.locator('#each').setChecked(k % 4 === 3);
    await move(page, 'confidence', [0.5, 0.8, 0.9, 0.97][k % 4]);
    await move(page, 'deadline', k % 5 === 4 ? 'end' : 4000 + 6100 * k);
    await move(page, 'budget', k % 6 === 5 ? 'end' : 1 + 4.5 * ((k * 7) % 12));
    await settled(page);
    const picked = () => page.evaluate(() => [document.body.dataset.pick, document.querySelector('#answer [data-pick]').dataset.pick]);
    await page.waitForFunction(() => document.body.dataset.pick === document.querySelector('#answer [data-pick]').dataset.pick, null,
      { timeout: 15000 }).catch(() => {});
    const [own, said] = await picked();
    same(own, said, `pick of question ${k} (${page.url()})`);
    picks.add(own);
  }
  sure(picks.size >= 3, `the questions were all of ${[...picks]}`);
  await close(page);
  await other.end();
});

await browser.close();
await site.end();
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed ? 1 : 0);
