import type { StandIns } from './stand-ins.js';

const escaped = (text: string): string =>
  text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);

const clock = (text: string | number): string =>
  `${new Date(text).toISOString().slice(0, 16).replace('T', ' ')} UTC`;

const STYLE = `
body { font: 15px/1.5 system-ui, sans-serif; margin: 2rem auto; max-width: 52rem; padding: 0 1rem; color: #23302b; background: #f6f4ee }
.mark { background: #7a4b12; color: #fff; padding: .5rem .8rem; border-radius: .3rem }
h2 { margin: 2rem 0 .4rem; font-size: 1.1rem }
table { border-collapse: collapse; width: 100% } td, th { text-align: left; padding: .35rem .6rem .35rem 0; border-bottom: 1px solid #d9d4c5; vertical-align: top }
code { font-size: .9em } p.none { color: #6c6a5f }
button { font: inherit; padding: .2rem .7rem }
`;

/** The page of the stand-ins: what can be done, plainly marked as simulated. */
export function page({ changes, runs, notices }: ReturnType<StandIns['state']>): string {
  const changeRows = changes.map(
    ({ id, service, change, since, canRevert }) =>
      `<tr><td>${escaped(service)}</td><td>${escaped(change)}</td><td>${clock(since)}</td><td>${
        canRevert ? button(`/changes/${id}/revert`, 'Revert') : 'over'
      }</td></tr>`,
  );
  const runRows = runs.map(
    ({ job, id, state }) =>
      `<tr><td>${escaped(job)}</td><td><code>${escaped(id)}</code></td><td>${escaped(state)}</td><td>${button(`/runs/${id}/stop`, 'Stop')}</td></tr>`,
  );
  const noticeRows = notices.map(
    ({ at, channel, body }) =>
      `<tr><td>${clock(at)}</td><td>${escaped(channel)}</td><td><code>${escaped(typeof body === 'string' ? body : JSON.stringify(body))}</code></td></tr>`,
  );
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Stand-ins of the simulated fleet</title><style>${STYLE}</style>
<p class="mark">Simulated. This page stands in for systems around a made-up ferry operator; nothing here touches anything real.</p>
<h1>Stand-ins</h1>
<h2>Change control</h2>
${table(['Service', 'Change', 'Since', ''], changeRows, 'No change can be taken back.')}
<p>What is reverted takes effect with the next minute; the fleet recovers by the same causes by which it fell ill.</p>
<h2>Scheduler</h2>
${table(['Job', 'Run', 'State', ''], runRows, 'No run hangs.')}
<h2>Outbox</h2>
${table(['When', 'Channel', 'Message'], noticeRows, 'Nothing was sent. Post to /outbox/webhook, mail, chat or pager.')}
<script>
for (const button of document.querySelectorAll('button')) button.onclick = async () => {
  button.disabled = true;
  await fetch(button.value, { method: 'POST' });
  location.reload();
};
</script></html>`;
}

const button = (path: string, label: string): string => `<button value="${escaped(path)}">${label}</button>`;

function table(heads: readonly string[], rows: readonly string[], none: string): string {
  if (rows.length === 0) return `<p class="none">${none}</p>`;
  return `<table><tr>${heads.map((head) => `<th>${head}</th>`).join('')}</tr>${rows.join('')}</table>`;
}
