// Runs every check and test, prints each runner's totals and, last, one line with the sums over all runners.
import { spawn } from 'node:child_process';
import { stripVTControlCharacters } from 'node:util';

const only = process.argv.slice(2);
const runners = [
  { name: 'types', command: ['npm', 'run', '-s', 'typecheck'] },
  { name: 'lint', command: ['npm', 'run', '-s', 'lint'] },
  // Jasmine on Node: "83 specs, 1 failure"
  {
    name: 'node',
    command: ['npm', 'run', '-s', 'test:node'],
    count: (t) => jasmine(/(\d+) specs?, (\d+) failures?/g.exec(t)),
  },
  // Karma: "Executed 40 of 40 (2 FAILED)", the last one counts
  {
    name: 'web',
    command: ['npm', 'run', '-s', 'test:web'],
    count: (t) => karma([...t.matchAll(/Executed (\d+) of (\d+)(?:[^\n\r]*?\((\d+) FAILED\))?/g)].pop()),
  },
  // Playwright: "  9 passed (30s)", "  1 failed"
  {
    name: 'e2e',
    command: ['npm', 'run', '-s', 'test:e2e'],
    count: (t) => ({
      passed: Number(/^\s+(\d+) passed/m.exec(t)?.[1] ?? 0),
      failed: Number(/^\s+(\d+) failed/m.exec(t)?.[1] ?? 0),
    }),
  },
].filter((r) => only.length === 0 || only.includes(r.name));

const jasmine = (m) => (m ? { passed: Number(m[1]) - Number(m[2]), failed: Number(m[2]) } : { passed: 0, failed: 0 });
const karma = (m) =>
  m ? { passed: Number(m[1]) - Number(m[3] ?? 0), failed: Number(m[3] ?? 0) } : { passed: 0, failed: 0 };

/** The part of a runner's words that tells of failures, cut to what can be read. */
function failures(text) {
  const plain = stripVTControlCharacters(text);
  const from = plain.lastIndexOf('\nFailures:');
  if (from >= 0) return plain.slice(from + 1, from + 6000);
  const karma = [...plain.matchAll(/^.*\) .* FAILED$[\s\S]{0,1200}?(?=^\S|$(?![\s\S]))/gm)].map((m) => m[0].trim());
  return (karma.length ? karma.join('\n') : plain.slice(-3000)).slice(0, 6000);
}

function run({ command }) {
  return new Promise((done) => {
    let text = '';
    const child = spawn(command[0], command.slice(1), {
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, NG_CLI_ANALYTICS: 'false', FORCE_COLOR: '0', CI: process.env.CI ?? '' },
    });
    for (const [from, to] of [
      [child.stdout, process.stdout],
      [child.stderr, process.stderr],
    ]) {
      from.on('data', (d) => {
        text += d;
        to.write(d);
      });
    }
    child.on('close', (code) => done({ code: code ?? 1, text }));
  });
}

const totals = [];
for (const r of runners) {
  process.stdout.write(`\n== ${r.name}\n`);
  const { code, text } = await run(r);
  const n = r.count ? r.count(text) : { passed: code === 0 ? 1 : 0, failed: code === 0 ? 0 : 1 };
  // A runner that broke off, or ran nothing, has failed whatever it counted.
  if (code !== 0 && n.failed === 0) n.failed = 1;
  if (n.passed + n.failed === 0) n.failed = 1;
  totals.push({ name: r.name, ...n, why: n.failed ? failures(text) : '' });
}
// What failed is said once more where it is seen first: at the end of a long log.
for (const t of totals) if (t.why) process.stdout.write(`\n== ${t.name}, what failed\n${t.why}\n`);
process.stdout.write('\n');
for (const t of totals) process.stdout.write(`${t.name}: ${t.passed} passed, ${t.failed} failed\n`);
const sum = (k) => totals.reduce((s, t) => s + t[k], 0);
process.stdout.write(`${sum('passed')} passed, ${sum('failed')} failed\n`);
process.exit(sum('failed') === 0 ? 0 : 1);
