// npm run kills [times] [seed]: a server is killed (SIGKILL) at random moments of everything it does, started again and looked through.
import { MOMENTS, trial } from '../apps/server/src/kill-trials';

const times = Number(process.argv[2] ?? 200);
const first = Number(process.argv[3] ?? 1);
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const names = Object.keys(MOMENTS);
const counts = new Map(names.map((n) => [n, { kills: 0, faults: 0 }]));
for (let k = 0; k < times; k++) {
  const name = names[k % names.length]!;
  const c = counts.get(name)!;
  const wrong = await trial(name, first + k).catch((e: unknown) => [String(e)]);
  c.kills++;
  if (wrong.length) {
    c.faults++;
    print(`kill ${first + k}, ${name}: ${wrong.join('; ')}`);
  }
}
for (const [n, c] of counts) print(`${n.padEnd(26)} ${c.kills} kills, ${c.faults} faults`);
process.exitCode = [...counts.values()].some((c) => c.faults) ? 1 : 0;
