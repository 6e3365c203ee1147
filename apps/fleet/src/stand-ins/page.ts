import { PAYLOAD_COST, SAMPLINGS } from '../world/emission.js';
import { LEVELS } from '../world/line.js';
import { SPEEDS } from '../world/live-clock.js';
import type { StandIns } from './stand-ins.js';

const escaped = (text: string): string =>
  text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);

const clock = (text: string | number): string =>
  `${new Date(text).toISOString().slice(0, 16).replace('T', ' ')} UTC`;

const STYLE = `
body { font: 15px/1.5 system-ui, sans-serif; margin: 2rem auto; max-width: 66rem; padding: 0 1rem; color: #23302b; background: #f6f4ee }
.mark { background: #7a4b12; color: #fff; padding: .5rem .8rem; border-radius: .3rem }
h2 { margin: 2rem 0 .4rem; font-size: 1.1rem }
table { border-collapse: collapse; width: 100% } td, th { text-align: left; padding: .35rem .6rem .35rem 0; border-bottom: 1px solid #d9d4c5; vertical-align: top }
code { font-size: .9em } p.none { color: #6c6a5f }
button { font: inherit; padding: .2rem .7rem } select { font: inherit }
`;

/** The page of the stand-ins: what can be done, plainly marked as simulated. */
export function page({
  changes,
  runs,
  sources,
  notices,
  clock: time,
}: ReturnType<StandIns['state']>): string {
  const changeRows = changes.map(
    ({ id, service, change, since, canRevert }) =>
      `<tr><td>${escaped(service)}</td><td>${escaped(change)}</td><td>${clock(since)}</td><td>${
        canRevert ? button(`/changes/${id}/revert`, 'Revert') : 'over'
      }</td></tr>`,
  );
  const runRows = runs.map(
    ({ job, id, state, at, canStop }) =>
      `<tr><td>${escaped(job)}</td><td><code>${escaped(id)}</code></td><td>${escaped(state)}${at === undefined ? '' : `, ${clock(at)}`}</td><td>${
        canStop ? button(`/runs/${id}/stop`, 'Stop') : button(`/runs/${id}/retry`, 'Try again')
      }</td></tr>`,
  );
  const sourceRows = sources.map((source) => {
    const { service, level, sampling, payloads, lines, bytes, spans, linesLeftOut, spansLeftOut } = source;
    const left = (count: number): string => (count > 0 ? ` (${count} left out)` : '');
    return `<tr><td>${escaped(service)}</td><td>${choice(service, 'level', LEVELS, level)}</td><td>${choice(
      service,
      'sampling',
      SAMPLINGS,
      sampling,
      (one) => (one === 1 ? 'all' : `one in ${one}`),
    )}</td><td>${choice(service, 'payloads', [false, true], payloads, (one) => (one ? 'recorded' : 'not recorded'))}</td><td>${lines}${left(linesLeftOut)}</td><td>${(bytes / 1000).toFixed(1)} kB</td><td>${spans}${left(spansLeftOut)}</td></tr>`;
  });
  const noticeRows = notices.map(
    ({ at, channel, body }) =>
      `<tr><td>${clock(at)}</td><td>${escaped(channel)}</td><td><code>${escaped(typeof body === 'string' ? body : JSON.stringify(body))}</code></td></tr>`,
  );
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Stand-ins of the simulated fleet</title><style>${STYLE}</style>
<p class="mark">Simulated. This page stands in for systems around a made-up ferry operator; nothing here touches anything real.</p>
<h1>Stand-ins</h1>
<h2>Clock</h2>
<p>The fleet is at ${clock(time.now)}; of its time pass in a second: ${choice('', 'speed', SPEEDS, time.speed, (one) => (one === 0 ? 'nothing' : one === 1 ? 'one second' : `${one} seconds`))}</p>
<h2>Change control</h2>
${table(['Service', 'Change', 'Since', ''], changeRows, 'No change can be taken back.')}
<p>What is reverted takes effect with the next minute; the fleet recovers by the same causes by which it fell ill.</p>
<h2>Scheduler</h2>
${table(['Job', 'Run', 'State', ''], runRows, 'No run hangs, and none failed of late.')}
<p>A run that is tried again goes as it must: what made it fail may still be there.</p>
<h2>What sources send</h2>
${table(['Service', 'Lines from', 'Spans of requests', 'What was asked', 'Lines a minute', 'Bytes a minute', 'Spans a minute'], sourceRows, '')}
<p>A switch takes effect with the next minute. Recording what was asked costs ${PAYLOAD_COST} ms of every call, and its bytes.</p>
<h2>Outbox</h2>
${table(['When', 'Channel', 'Message'], noticeRows, 'Nothing was sent. Post to /outbox/webhook, mail, chat or pager.')}
<script>
for (const button of document.querySelectorAll('button')) button.onclick = async () => {
  button.disabled = true;
  await fetch(button.value, { method: 'POST' });
  location.reload();
};
for (const select of document.querySelectorAll('select')) select.onchange = async () => {
  select.disabled = true;
  const body = JSON.stringify({ [select.name]: JSON.parse(select.value) });
  await fetch(select.dataset.service === '' ? '/clock' : '/sources/' + select.dataset.service, { method: 'POST', body });
  location.reload();
};
</script></html>`;
}

/** A switch of a source. */
function choice<T>(
  service: string,
  name: string,
  values: readonly T[],
  chosen: T,
  words: (value: T) => string = String,
): string {
  const options = values.map(
    (value) =>
      `<option value="${escaped(JSON.stringify(value))}"${value === chosen ? ' selected' : ''}>${escaped(words(value).toLowerCase())}</option>`,
  );
  return `<select name="${name}" data-service="${escaped(service)}" aria-label="${escaped(service === '' ? name : `${name} of ${service}`)}">${options.join('')}</select>`;
}

const button = (path: string, label: string): string => `<button value="${escaped(path)}">${label}</button>`;

function table(heads: readonly string[], rows: readonly string[], none: string): string {
  if (rows.length === 0) return `<p class="none">${none}</p>`;
  return `<table><tr>${heads.map((head) => `<th>${head}</th>`).join('')}</tr>${rows.join('')}</table>`;
}
