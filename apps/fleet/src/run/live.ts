import type { Fleet } from '../fleet.js';
import type { Sender } from '../sending/sender.js';
import { MINUTE, SECOND } from '../world/clock.js';
import type { LiveClock } from '../world/live-clock.js';
import { addSignals, between, noSignals } from '../world/signals.js';
import { type State, type StateFile, withSent } from './state.js';

const MEASURED_EVERY = 5 * SECOND;

/** Sends what each moment brings when it has come. */
export async function live(
  fleet: Fleet,
  clock: LiveClock,
  sender: Sender,
  { file, state: begun }: { file: StateFile; state: State },
): Promise<never> {
  let state = begun;
  let waiting = noSignals();
  let told = begun.until;
  for (let minute = Math.floor(told / MINUTE) * MINUTE; ; minute += MINUTE) {
    addSignals(waiting, between(fleet.signalsOf(minute, MEASURED_EVERY), told));
    while (told < minute + MINUTE) {
      await new Promise((resolve) => setTimeout(resolve, SECOND));
      const now = Math.min(clock.now(), minute + MINUTE);
      if (now <= told) continue;
      await sender.send(`live ${now}`, between(waiting, -Infinity, now));
      waiting = between(waiting, now);
      state = withSent(state, { from: told, to: now });
      file.write(state);
      told = now;
    }
  }
}
