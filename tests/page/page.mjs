// The page in a real browser: node page.mjs COMMAND FOLDER. COMMAND is the installed clockpigeon, FOLDER has a copy of
// the demo project, tide-clock.
// Prints a line for each test with its time, and last `N passed, N failed`.
import { chromium } from 'playwright-core';
import { execFileSync, spawn } from 'node:child_process';
import { appendFileSync, cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
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
const env = { ...process.env, CLOCKPIGEON_NOW: '2026-11-26T22:00:00Z', NO_COLOR: '1', COLUMNS: '200', R_USER_CACHE_DIR: path.join(folder, 'cache') };
const question = ['--shots', 'gears', '--engine', 'sundew'];
const run_in = (where, args) => execFileSync(command, args, { ...where, encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] });
const run = (...args) => run_in({ cwd: project, env }, args);
/** What a command says that may end with 3: something is to be looked at. */
const said_in = (where, ...args) => { try { return run_in(where, args); } catch (error) { return String(error.stdout); } };

/** Serves the page; its address, and how it is ended. */
function serve(where = { cwd: project, env }) {
  const child = spawn(command, ['page', ...question, '--deadline', '20h', '--budget', '60EUR', '--no-open', '--for', '20min'], where);
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
/** A window with another view in it. */
async function viewed(address, view, options = {}) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, ...options });
  const page = await context.newPage();
  page.faults = [];
  page.on('pageerror', (error) => page.faults.push(error.message));
  await page.goto(address);
  await page.goto(`${new URL(page.url()).origin}/?view=${view}`);
  return page;
}
/** Until a view has all that it begins with. */
const filled = (page, view) => page.waitForSelector({ evidence: '#measured li', sites: '#worked table', running: '#stands h2, #stands .empty',
  after: '#learned h2, #bill .empty', decide: '#answer [data-pick]' }[view], { timeout: 60000 });
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
/** A picture of the window's first screen, where PAGE_SHOTS names a folder for them. */
async function shot(page, name) {
  if (!process.env.PAGE_SHOTS) return;
  await page.evaluate(() => { document.activeElement.blur(); window.scrollTo({ top: 0, behavior: 'instant' }); });
  await page.screenshot({ path: path.join(process.env.PAGE_SHOTS, `${name}.png`) });
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
  const only = ['only', 'nodes'].flatMap((name) => kept.get(name) && kept.get(name) !== 'null' ? [].concat(value(name)) : []);
  if (only.length) asked.push('--only', only.join(','));
  try {
    return squeezed(run('choose', ...question, ...asked));
  } catch (error) {
    // Unmet requirements ends with 3, and says the nearest.
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
  await shot(page, 'page');
  await close(page);
});

await test('a cost that is just the budget is within it, as in R', async () => {
  const cases = JSON.parse(readFileSync(new URL('./budget-cases.json', import.meta.url), 'utf8'));
  const page = await opened(address);
  const kept = await page.evaluate(async (cases) => {
    const { wholeBudget } = await import('/page/decide.js');
    return cases.map((x) => x.minor <= wholeBudget(x.budget, x.digits));
  }, cases);
  cases.forEach((x, i) => { if (kept[i] !== x.kept) throw new Error(`${JSON.stringify(x)}: ${kept[i]}`); });
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

await test('what is pinned is alone in the answer, as choose --only has it', async () => {
  const page = await opened(address);
  await answer(page);
  await page.locator('input[name=only][value=saltmill]').check();
  await page.locator('input[name=nodes][value="nodes=10"]').check();
  await page.waitForFunction(() => /only=.*saltmill/.test(location.search) && /nodes=%22/.test(location.search));
  await page.waitForFunction(() => [...document.querySelectorAll('#options tbody tr')].every((row) => /^saltmill .*10 nodes/.test(row.cells[0].textContent)));
  await settled(page);
  const got = await answer(page);
  sure(got.title.startsWith('saltmill') && got.title.includes('10 nodes'), `the answer is ${got.title}`);
  const said = await terminal(page);
  // Names of options are longer where more differ, so that the sentence that names one is held alone.
  for (const text of got.says.slice(1, 4)) sure(said.includes(squeezed(text)), `the terminal does not say: ${text}\nbut: ${said}`);
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

for (const view of ['decide', 'evidence', 'sites', 'running', 'after']) {
  for (const scheme of ['light', 'dark']) {
    await test(`nothing serious is found by axe, ${view}, ${scheme}`, async () => {
      // What is injected for the test is not for the policy to judge.
      const page = await viewed(address, view, { colorScheme: scheme, bypassCSP: true });
      await filled(page, view);
      if (view === 'decide') await answer(page);
      // A busy machine can still be computing: a figure that replaces itself is not what axe reads.
      await page.waitForFunction(() => !document.querySelector('.recalculating'), null, { timeout: 60000 });
      await page.evaluate(axe);
      const found = await page.evaluate(async () => (await window.axe.run()).violations
        .map((v) => `${v.impact}: ${v.id} (${v.nodes.length}): ${v.nodes[0].html.slice(0, 120)}`));
      same(found, [], 'findings');
      same(page.faults, [], 'errors of the page');
      await close(page);
    });
  }
  await test(`at 200 % zoom nothing runs out of the window, ${view}`, async () => {
    const page = await viewed(address, view, { viewport: { width: 640, height: 400 }, deviceScaleFactor: 2 });
    await filled(page, view);
    const over = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
    sure(over <= 0, `${over} px too wide`);
    await close(page);
  });
}

await test('keys go from view to view, and the view is in the address', async () => {
  const page = await opened(address);
  for (const [key, view] of [['3', 'sites'], ['4', 'running'], ['5', 'after'], ['2', 'evidence'], ['1', 'decide']]) {
    await page.keyboard.press(key);
    await page.waitForFunction((view) => document.querySelector('nav [aria-current=page]') && document.querySelector(`main.${view}`), view);
  }
  // Where a view was left, it is gone on with.
  await page.waitForFunction(() => document.body.dataset.pick !== undefined);
  await move(page, 'budget', 30);
  await settled(page);
  await page.keyboard.press('5');
  await page.waitForSelector('main.after');
  await page.keyboard.press('1');
  await page.waitForFunction(() => document.body.dataset.pick !== undefined);
  same(await page.evaluate(() => Number(document.getElementById('budget').value)), 30, 'the budget that was asked');
  await close(page);
});

await test('the ledger is searched, sorted and grouped, and saved', async () => {
  const page = await viewed(address, 'evidence');
  await filled(page, 'evidence');
  const info = () => page.locator('.dataTables_info').textContent();
  const all = Number((await page.locator('#counted').textContent()).match(/of ([0-9,]+) timings/)[1].replace(',', ''));
  await shot(page, 'page-evidence');
  await page.locator('.dataTables_filter input').fill('basin sundew');
  await page.waitForFunction(() => document.querySelector('.dataTables_info').textContent.includes('filtered'));
  const found = Number((await info()).match(/of ([0-9,]+) entries/)[1].replace(',', ''));
  sure(found > 0 && found < all, `${found} of ${all}`);
  await page.locator('#scene').selectOption('basin');
  await page.locator('#engine').selectOption('sundew');
  await page.waitForFunction((found) => document.querySelector('#counted').textContent.startsWith(`${found} of`), found);
  await page.locator('#scene').selectOption('');
  await page.locator('#engine').selectOption('');
  await page.waitForFunction((all) => document.querySelector('#counted').textContent.replace(',', '').startsWith(`${all} of`), all);
  await page.locator('.dataTables_filter input').fill('');
  await page.waitForFunction(() => !document.querySelector('.dataTables_info').textContent.includes('filtered'));
  await page.getByRole('columnheader', { name: /^seconds/ }).click();
  await page.waitForFunction(() => { const first = [...document.querySelectorAll('#timings tbody tr')].map((row) => Number(row.cells[7].textContent));
    return first.length > 5 && first.every((x, i) => i === 0 || x >= first[i - 1]); });
  await page.locator('#group').selectOption('engine');
  await page.waitForFunction(() => [...document.querySelectorAll('#timings thead th')].some((x) => x.textContent === 'median s') &&
    document.querySelectorAll('#timings tbody tr td').length > 5);
  const groups = await page.evaluate(() => [...document.querySelectorAll('#timings tbody tr')].map((row) => Number(row.cells[1].textContent)));
  same(groups.reduce((a, b) => a + b), all, 'timings in all groups');
  sure(page.url().includes('group=engine'), `the address keeps no group: ${page.url()}`);
  const waits = page.waitForEvent('download');
  await page.locator('#timings_csv').click();
  sure(readFileSync(await (await waits).path(), 'utf8').startsWith('"engine","runs"'), 'the file begins otherwise');
  const figure = page.waitForEvent('download');
  await page.locator('button.save[data-figure=curve-1][data-kind=png]').click();
  sure(readFileSync(await (await figure).path(), 'latin1').startsWith('\x89PNG'), 'no PNG of the curve');
  await close(page);
});

await test('a limit is probed here: left, probed again, its target moved and dragged, its tiles judged blind', async () => {
  const page = await viewed(address, 'evidence');
  await page.waitForSelector('#limit_shot option[value=gears-review]', { state: 'attached', timeout: 60000 });
  await page.locator('#limit_shot').selectOption('gears-review');
  await page.locator('#limit_engine').selectOption('pebble');
  const probe = async () => {
    await page.locator('button[data-does=probe]').click();
    await page.waitForFunction(() => document.getElementById('ask-texts').textContent.includes('clockpigeon limit gears-review --engine pebble'));
    await page.locator('#ask-yes').click();
    await page.waitForFunction(() => /trial [0-9]+ of/.test(document.querySelector('#probing .waiting')?.textContent || ''), null, { timeout: 60000 });
  };
  await probe();
  await page.locator('button[data-does=leave_probe]').click();
  await page.waitForFunction(() => /left before/.test(document.querySelector('#probing .trouble')?.textContent || ''), null, { timeout: 60000 });
  await probe();
  await page.waitForSelector('#limit svg', { timeout: 120000 });
  const said = () => page.locator('#limit_says dd').first().innerText();
  /** The count that the browser shows, once R says the same. */
  const agreed = async (unlike) => {
    await page.waitForFunction((unlike) => {
      const shown = /takes ([0-9]+) samples/.exec(document.getElementById('target').getAttribute('aria-valuetext')), text = document.querySelector('#limit_says dd')?.textContent || '';
      return shown && shown[1] !== unlike && text.replaceAll(',', '').startsWith(`${shown[1]} sample`);
    }, unlike, { timeout: 30000 });
    return (await said()).split(' ')[0].replaceAll(',', '');
  };
  const first = await agreed('');
  await page.locator('#target').focus();
  for (let k = 0; k < 12; k++) await page.keyboard.press('ArrowRight');
  const second = await agreed(first);
  sure(Number(second) < Number(first), `a target that is less strict takes ${second} samples after ${first}`);
  await page.evaluate(() => document.getElementById('limit-part').scrollIntoView({ behavior: 'instant' }));
  const box = await page.locator('#limit svg').boundingBox();
  await page.mouse.move(box.x + 300, box.y + 0.6 * box.height);
  await page.mouse.down();
  await page.mouse.move(box.x + 300, box.y + 0.3 * box.height, { steps: 5 });
  await page.mouse.up();
  await page.waitForFunction((second) => Number(/takes ([0-9]+) samples/.exec(document.getElementById('target').getAttribute('aria-valuetext'))[1]) < Number(second), second);
  sure(Number(await agreed(second)) < Number(second), 'dragged up it takes no less');
  await page.locator('button[data-does=blind]').click();
  await page.waitForSelector('input[name=clean]');
  await page.locator('input[name=clean]').nth(1).check();
  await page.locator('button[data-does=judged]').click();
  await page.waitForSelector('#limit_sheet table');
  same(await page.locator('#limit_sheet td', { hasText: /^clean enough$/ }).count(), 1, 'letters that are clean enough');
  same(page.faults, [], 'errors of the page');
  await close(page);
});

await test('a card is edited: refused in words, shown as what changes, asked for and written down', async () => {
  const file = path.join(project, 'sites', 'quayside.yaml');
  const was = readFileSync(file, 'utf8');
  const page = await viewed(address, 'sites&site=quayside');
  await filled(page, 'sites');
  await page.locator('#text').fill(was.replace(/^currency: .*$/m, 'currency: shells'));
  await page.locator('#check').click();
  await page.waitForSelector('.trouble');
  sure(/shells/.test(await page.locator('.trouble').textContent()), 'the refusal says not why');
  same(await page.locator('#write').count(), 0, 'buttons to write it');
  await page.locator('#text').fill(was.replace(/^about: .*$/m, 'about: <img src=x onerror="window.hit = 1">'));
  await page.locator('#check').click();
  await page.waitForSelector('.changes .comes');
  sure((await page.locator('.changes .comes').textContent()).includes('<img'), 'what comes is not shown as it is');
  same(readFileSync(file, 'utf8'), was, 'the file before it was asked for');
  await page.locator('#write').click();
  await page.locator('#ask-yes').click();
  await page.waitForFunction(() => document.querySelector('#editing').textContent.includes('Written: 1 line went and 1 came'));
  sure(/onerror/.test(readFileSync(file, 'utf8')), 'the file is not written');
  sure((await page.locator('#edited pre.changes').textContent()).includes('+ about'), 'it is not written down');
  sure((await page.locator('#card p').first().textContent()).includes('<img'), 'the card is not shown as it is');
  sure(await page.evaluate(() => window.hit === undefined), 'it was run');
  // What is typed stays, whatever is said of it: checked again after a writing, and where somebody else changed the file.
  const other = was.replace(/^about: .*$/m, 'about: typed again');
  await page.locator('#text').fill(other);
  await page.locator('#check').click();
  await page.waitForFunction(() => document.querySelector('.changes .comes') && document.querySelector('.changes .comes').textContent.includes('typed again'));
  same(await page.locator('#text').inputValue(), other, 'the text after it was checked');
  writeFileSync(file, `${was}# by somebody else\n`);
  await page.locator('#write').click();
  await page.locator('#ask-yes').click();
  await page.waitForFunction(() => document.querySelector('#edited').textContent.includes('changed elsewhere'));
  same(await page.locator('#text').inputValue(), other, 'the text after it was refused');
  sure(readFileSync(file, 'utf8').includes('by somebody else'), 'what somebody else wrote is lost');
  writeFileSync(file, was);
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

await test('a program that is gone is said to be gone, and the page goes on when it is back', async () => {
  const other = serve();
  const page = await opened(await other.address);
  await move(page, 'deadline', 36000);
  await settled(page);
  await other.end();
  await page.waitForFunction(() => document.getElementById('connection')?.textContent.includes('lost'));
  const again = serve();
  same(new URL(await again.address).port, new URL(page.url()).port, 'its port');
  await page.waitForFunction(() => document.getElementById('connection')?.textContent === '' && document.body.dataset.pick !== undefined, null,
    { timeout: 60000 });
  same(await page.evaluate(() => Number(document.getElementById('deadline').value)), 36000, 'the deadline that was asked');
  await close(page);
  await again.end();
});

await test('a job is watched live to its end: frames, an alarm, an order that asks first; and what came of it', async () => {
  const live = path.join(folder, 'live');
  cpSync(project, live, { recursive: true });
  const farm = spawn(command, ['standin', 'saltmill', '--port', '0', '--speed', '30', '--misbehave', 'freeze=3@3min:12min,corrupt=2%,prices=1.3',
    '--for', '10min', '--seed', '7'], { cwd: live, env: { ...env, CLOCKPIGEON_NOW: '', CLOCKPIGEON_TOKEN: token } });
  const [at, now] = await new Promise((resolve, reject) => {
    let out = '', err = '';
    const look = () => { const now = err.match(/CLOCKPIGEON_NOW='([^']*)'/); if (out.includes('\n') && now) resolve([out.trim(), now[1]]); };
    farm.stdout.on('data', (text) => { out += text; look(); });
    farm.stderr.on('data', (text) => { err += text; look(); });
    farm.on('exit', () => reject(new Error(`the stand-in ended: ${err}`)));
  });
  const where = { cwd: live, env: { ...env, CLOCKPIGEON_NOW: now, CLOCKPIGEON_TOKEN: token } };
  appendFileSync(path.join(live, 'sites', 'saltmill.yaml'), `service: {address: ${at}/saltmill, token: {env: CLOCKPIGEON_TOKEN}}\n`);
  said_in(where, 'choose', ...question, '--only', 'saltmill,brisk,nodes=10', '--deadline', '4h', '--budget', '60EUR', '--done', 'gears 1-600', '--record', 'cut-1');
  said_in(where, 'place', 'cut-1', '--yes', '--despite', 'quote,check,changed');
  const other = serve(where);
  const page = await viewed(await other.address, 'running');
  try {
    await page.waitForSelector('#orders button', { timeout: 60000 });
    const there = () => page.evaluate(() => Number(document.body.dataset.there));
    await page.waitForSelector('#alarms li', { timeout: 90000 });
    sure(/act now|act soon|to know/.test(await page.locator('#alarms li').first().textContent()), 'an alarm without its weight');
    await page.locator('#pause').click();
    await page.getByRole('button', { name: 'No', exact: true }).click();
    sure(!await page.locator('#ask').isVisible(), 'it still asks');
    same(await page.evaluate(() => document.body.dataset.paused), 'false', 'paused without a yes');
    await page.locator('#pause').click();
    await page.locator('#ask-yes').click();
    await page.waitForFunction(() => document.body.dataset.paused === 'true', null, { timeout: 60000 });
    await page.locator('#resume').click();
    await page.locator('#ask-yes').click();
    await page.waitForFunction(() => document.body.dataset.paused === 'false', null, { timeout: 60000 });
    await page.waitForFunction(() => document.body.dataset.there === '120', null, { timeout: 150000 });
    same(await there(), 120, 'frames there');
    await page.locator('#strip-canvas').focus();
    await page.keyboard.press('End');
    sure(/^gears 720: there, \d+ s on saltmill\/node-/.test(await page.locator('#strip-said').textContent()), await page.locator('#strip-said').textContent());
    for (const [figure, kind, begins] of [['strip', 'svg', '<svg'], ['lanes', 'png', '\x89PNG'], ['belief', 'csv', '"at_s"'], ['spent', 'svg', '<svg'], ['strip', 'csv', '"frame"']]) {
      const waits = page.waitForEvent('download');
      await page.locator(`button.save[data-figure=${figure}][data-kind=${kind}]`).click();
      sure(readFileSync(await (await waits).path(), 'latin1').startsWith(begins), `${figure}.${kind} begins otherwise`);
    }
    if (await page.locator('#fetch').count()) {
      await page.locator('#fetch').click();
      await page.locator('#ask-yes').click();
    }
    await page.waitForFunction(() => document.querySelector('#stands').textContent.includes('All frames are received'), null, { timeout: 60000 });
    same(page.faults, [], 'errors of the page');
    await shot(page, 'page-running');
    const settled = squeezed(said_in(where, 'settle', 'cut-1'));
    const verified = squeezed(said_in(where, 'verify', 'cut-1'));
    await page.keyboard.press('5');
    await page.waitForSelector('#bill table', { timeout: 60000 });
    sure(settled.includes(squeezed(await page.locator('#bill p').first().textContent())), 'the bill is said otherwise in the terminal');
    await page.locator('#look').click();
    await page.waitForFunction(() => /frames are usable/.test(document.querySelector('#pictures').textContent), null, { timeout: 60000 });
    const usable = (await page.locator('#pictures p').first().textContent()).match(/^(\d+ of \d+)/)[1];
    sure(verified.includes(usable), `${usable}, but the terminal says: ${verified.slice(0, 200)}`);
    sure(await page.locator('img.sheet').count() === 1 || verified.includes('120 of 120'), 'no picture of what is suspect');
    await page.waitForSelector('#learned table');
    await shot(page, 'page-after');
  } catch (error) {
    throw new Error(`${error.message}\nwhile the page says: ${squeezed(await page.locator('body').innerText()).slice(0, 1500)}`);
  } finally {
    await close(page);
    await other.end();
    farm.kill('SIGTERM');
  }
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
