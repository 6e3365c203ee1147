import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));

/** A server with data of its own, for a bench. */
export interface OwnServer {
  url: string;
  child: ChildProcess;
  /** Ends it, and removes its data. */
  end(): Promise<void>;
}

/** Starts a server on data that are made for it. */
export async function ownServer(port: number): Promise<OwnServer> {
  const data = mkdtempSync(join(tmpdir(), 'flail-bench-'));
  const child = spawn(process.execPath, [join(root, 'apps/server/dist/main.js')], {
    env: {
      ...process.env,
      FLAIL_DATA: data,
      FLAIL_PORT: String(port),
      FLAIL_OTLP_PORT: '0',
      FLAIL_SYSLOG_PORT: '0',
    },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  let said = '';
  while (!said.includes('http://')) said += String((await once(child.stdout, 'data'))[0]);
  return {
    url: `http://127.0.0.1:${port}`,
    child,
    end: async () => {
      child.kill('SIGKILL');
      await once(child, 'exit');
      rmSync(data, { recursive: true });
    },
  };
}
