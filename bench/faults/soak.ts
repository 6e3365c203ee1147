import { writeFileSync } from 'node:fs';
import type { Attack } from './attack.js';
import { Server } from './server.js';

/** What was measured at one moment. */
interface Look {
  minute: number;
  memory: number;
  handles: number;
  milliseconds: number;
}

const LINES = 2000;
const PICTURE = 'bench/faults.svg';

const batch = (at: number): string =>
  Array.from({ length: LINES }, (_, index) =>
    JSON.stringify({
      time: new Date(at + index).toISOString(),
      level: index % 50 === 0 ? 'error' : 'info',
      msg: `crate ${Math.floor(Math.random() * 1e6)} was stowed on deck ${index % 7} in ${(Math.random() * 90).toFixed(1)} ms`,
      service: `s${index % 5}`,
      trace: Math.random().toString(16).slice(2).padEnd(32, '0'),
    }),
  ).join('\n');

/** How many lines a second are taken in when nothing else is asked. */
async function capacity(server: Server): Promise<number> {
  const started = performance.now();
  let lines = 0;
  while (performance.now() - started < 10_000) {
    const answers = await Promise.all(
      ['a', 'b', 'c'].map((source) => server.take(batch(Date.now()), source)),
    );
    lines += LINES * answers.filter(({ status }) => status === 200).length;
  }
  return (1000 * lines) / (performance.now() - started);
}

export const soak = (minutes: number): Attack => ({
  name: `${minutes} minutes at half of what it can take in, with questions beside`,
  promise: 'memory, handles and answer times stay where they are; no connection goes out',
  run: async () => {
    const server = await Server.start(Server.folder());
    try {
      const most = await capacity(server);
      const pause = (1000 * LINES) / (most / 2);
      const looks: Look[] = [];
      const started = performance.now();
      let failed = 0;
      let sent = 0;
      let outgoing = 0;
      const until = started + minutes * 60_000;
      const sending = (async () => {
        for (let next = performance.now(); performance.now() < until; next += pause) {
          await new Promise((resolve) => setTimeout(resolve, Math.max(0, next - performance.now())));
          const { status } = await server.take(batch(Date.now()), 'soak');
          if (status === 200) sent += LINES;
          else failed++;
        }
      })();
      while (performance.now() < until) {
        const to = new Date().toISOString();
        const window = { from: new Date(Date.now() - 300_000).toISOString(), to };
        const baseline = { from: new Date(Date.now() - 600_000).toISOString(), to: window.from };
        const answers = [
          await server.post('/api/v1/patterns/search', { window, baseline }),
          await server.post('/api/v1/logs/search', { window, scope: 'level = error', limit: 50 }),
          await server.call('/api/v1/datasets'),
        ];
        failed += answers.filter(({ status }) => status !== 200).length;
        outgoing = Math.max(outgoing, server.outgoing().length);
        looks.push({
          minute: (performance.now() - started) / 60_000,
          memory: server.memory().now,
          handles: server.handles(),
          milliseconds: answers[0]!.milliseconds,
        });
        await new Promise((resolve) => setTimeout(resolve, 2000));
      }
      await sending;
      writeFileSync(PICTURE, drawn(looks));
      const third = Math.floor(looks.length / 3);
      const median = (own: readonly Look[], of: keyof Look): number =>
        [...own].sort((a, b) => a[of] - b[of])[Math.floor(own.length / 2)]![of];
      const [early, late] = [looks.slice(third, 2 * third), looks.slice(2 * third)];
      const grew = (of: keyof Look): string =>
        `${Math.round(median(early, of))} to ${Math.round(median(late, of))}`;
      const held =
        failed === 0 &&
        outgoing === 0 &&
        median(late, 'memory') < 1.3 * median(early, 'memory') + 50 &&
        median(late, 'handles') < median(early, 'handles') + 20 &&
        median(late, 'milliseconds') < 2 * median(early, 'milliseconds') + 100;
      return {
        held,
        what: `${Math.round(most).toLocaleString('en')} lines/s at most, ${sent.toLocaleString('en')} sent at half of it, ${failed} requests failed; medians of the second and the last third: memory ${grew('memory')} MB, handles ${grew('handles')}, patterns of five minutes in ${grew('milliseconds')} ms; outgoing connections: ${outgoing}; main thread held up ${Math.round((await server.state()).eventLoop.longest)} ms at most in the last minutes`,
      };
    } finally {
      await server.remove();
    }
  },
});

/** The course of what was measured, one line for each. */
function drawn(looks: readonly Look[]): string {
  const [width, height, left] = [760, 110, 120];
  const last = looks.at(-1)?.minute ?? 1;
  const rows = (
    [
      ['memory', 'memory, MB'],
      ['handles', 'handles'],
      ['milliseconds', 'patterns, ms'],
    ] as const
  ).map(([of, name], row) => {
    const most = Math.max(...looks.map((look) => look[of])) || 1;
    const top = row * height + 20;
    const points = looks
      .map((look) => {
        const x = left + (look.minute / last) * (width - left - 20);
        const y = top + (height - 40) * (1 - look[of] / most);
        return `${x.toFixed(1)},${y.toFixed(1)}`;
      })
      .join(' ');
    return [
      `<text x="4" y="${top + 12}">${name}</text>`,
      `<text x="${left - 6}" y="${top + 10}" text-anchor="end">${Math.round(most)}</text>`,
      `<text x="${left - 6}" y="${top + height - 40}" text-anchor="end">0</text>`,
      `<line x1="${left}" y1="${top + height - 40}" x2="${width - 20}" y2="${top + height - 40}" stroke="#b9b4a7"/>`,
      `<polyline points="${points}" fill="none" stroke="#0b6e6e" stroke-width="1.5"/>`,
    ].join('');
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${3 * height + 20}" font-family="sans-serif" font-size="12"><rect width="100%" height="100%" fill="#fff"/>${rows.join('')}<text x="${width - 20}" y="${3 * height + 12}" text-anchor="end">${last.toFixed(0)} minutes</text></svg>\n`;
}
