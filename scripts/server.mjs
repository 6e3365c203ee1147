// Starts the built server and waits until it answers.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { root } from './setup.mjs';

const PATIENCE_MS = 60_000;

/** Starts a process that ends with this one. */
export function start(file, args, environment = {}, stdio = 'inherit') {
  return spawn(process.execPath, [join(root, file), ...args], {
    cwd: root,
    stdio,
    env: { ...process.env, ...environment },
  });
}

/** Starts the server; resolves with its process once it answers at its address. */
export async function startServer(environment) {
  const server = start('apps/server/dist/main.js', [], environment);
  let ended = false;
  server.once('exit', (code) => {
    ended = true;
    process.exitCode = code ?? 1;
  });
  const url = `http://127.0.0.1:${environment.FLAIL_PORT}`;
  const began = Date.now();
  while (!ended && Date.now() - began < PATIENCE_MS) {
    try {
      if ((await fetch(`${url}/api/v1/health`)).ok) return { server, url };
    } catch {
      // Not yet.
    }
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  if (!ended) server.kill();
  throw new Error('The server did not start.');
}

/** Ends processes together with this one, the last started first. */
export function endTogether(...processes) {
  let ending = false;
  const end = () => {
    if (ending) return;
    ending = true;
    for (const child of processes.reverse()) child.kill('SIGTERM');
  };
  process.once('SIGINT', end);
  process.once('SIGTERM', end);
  for (const child of processes) child.once('exit', end);
}
