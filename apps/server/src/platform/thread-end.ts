import { Session } from 'node:inspector';

/** Where a thread keeps what it has to do before it ends. */
const END = 'flailThreadEnd';
/** Milliseconds for which a thread is given to come to its end. */
const LIMIT_MS = 2000;

/** In a thread: what is to be done before it ends, such as closing a database. */
export function onThreadEnd(end: () => Promise<void>): void {
  (globalThis as Record<string, unknown>)[END] = end;
}

interface Attached {
  params: { sessionId: string; workerInfo: { title: string } };
}
interface Received {
  params: { sessionId: string; message: string };
}

/**
 * Brings a thread that is stuck back to where it waits for events, by the debugger's protocol, and lets it do what
 * it has to before it ends. Without that, a thread that is ended while its database still answers takes the process
 * with it. Resolves when that is done, or can't be.
 */
export async function bringToEnd(threadId: number): Promise<void> {
  const session = new Session();
  try {
    session.connect();
    const thread = await attached(session, threadId);
    await asked(session, thread, 1, 'Runtime.terminateExecution', {});
    const end = { expression: `globalThis.${END}?.()`, awaitPromise: true };
    await asked(session, thread, 2, 'Runtime.evaluate', end);
  } catch {
    // There is no debugger in this build, or the thread does not answer it: it is ended as it is.
  } finally {
    session.disconnect();
  }
}

/** The session of a thread. */
function attached(session: Session, threadId: number): Promise<string> {
  return limited((resolve, reject) => {
    session.on('NodeWorker.attachedToWorker', ({ params }: Attached) => {
      if (params.workerInfo.title === `[worker ${threadId}]`) resolve(params.sessionId);
    });
    session.post('NodeWorker.enable', { waitForDebuggerOnStart: false }, (error) => {
      if (error) reject(error);
    });
  });
}

/** Asks a thread for something; resolves when it has answered. */
function asked(
  session: Session,
  sessionId: string,
  id: number,
  method: string,
  params: object,
): Promise<void> {
  return limited((resolve, reject) => {
    session.on('NodeWorker.receivedMessageFromWorker', ({ params: received }: Received) => {
      if (received.sessionId === sessionId && (JSON.parse(received.message) as { id?: number }).id === id)
        resolve(undefined);
    });
    const message = JSON.stringify({ id, method, params });
    session.post('NodeWorker.sendMessageToWorker', { sessionId, message }, (error) => {
      if (error) reject(error);
    });
  });
}

function limited<T>(
  start: (resolve: (value: T) => void, reject: (error: Error) => void) => void,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => reject(new Error('The thread does not answer.')), LIMIT_MS);
    start(
      (value) => {
        clearTimeout(timer);
        resolve(value);
      },
      (error) => {
        clearTimeout(timer);
        reject(error);
      },
    );
  });
}
