import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { closeSync, existsSync, mkdirSync, openSync, readFileSync, writeFileSync } from 'node:fs';
import { connect, createServer } from 'node:net';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import type { Draw } from './draw.js';

/** A program of a Debian package that is run to get lines of which it is known what statement wrote them. */
export interface Program {
  name: string;
  /** Whether it may be looked at while building, or is only measured with in the end. */
  half: 'build' | 'final';
  /** Debian packages it comes from. */
  packages: readonly string[];
  /** A file that the packages bring, to see whether they are there. */
  needs: string;
  run(bench: Workbench): Promise<void>;
}

/** Where a program is run: a folder of its own, its log, and what notes its statements. */
export class Workbench {
  readonly log: string;
  /** Whether what it says to the system's log is its log. */
  syslog = false;
  private readonly notes: string;
  private readonly children: ChildProcess[] = [];

  /**
   * @param folder for the program's files
   * @param trace the built `formats.so` and the folder of `sitecustomize.py`
   */
  constructor(
    readonly folder: string,
    readonly draw: Draw,
    private readonly trace: { library: string; python: string },
  ) {
    mkdirSync(folder, { recursive: true, mode: 0o777 });
    this.log = join(folder, 'log');
    this.notes = join(folder, 'notes');
    writeFileSync(this.log, '');
    writeFileSync(this.notes, '', { mode: 0o666 });
  }

  /** Writes a file in the program's folder. */
  file(name: string, text: string): string {
    const path = join(this.folder, name);
    writeFileSync(path, text);
    return path;
  }

  get environment(): NodeJS.ProcessEnv {
    return {
      PATH: '/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin',
      HOME: this.folder,
      TZ: 'UTC',
      LANG: 'C.UTF-8',
      LAB_NOTES: this.notes,
      ...(this.syslog && { LAB_SYSLOG: this.log }),
    };
  }

  /** Starts the traced program; what it prints goes to the log. */
  start(command: string, args: readonly string[], kind: 'c' | 'python' = 'c'): ChildProcess {
    const out = openSync(this.log, 'a');
    const child = spawn(command, args, {
      cwd: this.folder,
      env: { ...this.environment, ...this.traced(kind) },
      stdio: ['ignore', out, out],
    });
    closeSync(out);
    child.on('error', () => undefined);
    this.children.push(child);
    return child;
  }

  /** Runs the traced program to its end. */
  run(command: string, args: readonly string[], kind: 'c' | 'python' = 'c', input = ''): void {
    const out = openSync(this.log, 'a');
    spawnSync(command, args, {
      cwd: this.folder,
      env: { ...this.environment, ...this.traced(kind) },
      input,
      stdio: ['pipe', out, out],
      timeout: 60_000,
    });
    closeSync(out);
  }

  private traced(kind: 'c' | 'python'): NodeJS.ProcessEnv {
    return kind === 'c' ? { LD_PRELOAD: this.trace.library } : { PYTHONPATH: this.trace.python };
  }

  /** Runs a client, which is not traced. */
  client(command: string, args: readonly string[], input = ''): string {
    const { stdout } = spawnSync(command, args, {
      cwd: this.folder,
      input,
      timeout: 10_000,
      encoding: 'utf8',
    });
    return stdout ?? '';
  }

  async sleep(ms: number): Promise<void> {
    await wait(ms);
  }

  /** A port that is free now. */
  async port(): Promise<number> {
    return new Promise((resolve, reject) => {
      const server = createServer();
      server.on('error', reject);
      server.listen(0, '127.0.0.1', () => {
        const address = server.address();
        server.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
      });
    });
  }

  /** Sends text to a port; returns what came back within a short time. */
  async talk(port: number, text: string | Buffer, ms = 150, host = '127.0.0.1'): Promise<string> {
    return new Promise((resolve) => {
      let answer = '';
      const socket = connect(port, host, () => socket.write(text));
      socket.on('data', (data) => (answer += data.toString('latin1')));
      socket.on('error', () => undefined);
      socket.on('close', () => resolve(answer));
      setTimeout(() => socket.destroy(), ms);
    });
  }

  /** Ends all that was started. */
  async end(): Promise<void> {
    for (const child of this.children) child.kill('SIGTERM');
    await wait(600);
    for (const child of this.children) if (child.exitCode === null) child.kill('SIGKILL');
  }

  /** What was logged and noted. */
  result(): { log: string; notes: Buffer } {
    const log = existsSync(this.log) ? readFileSync(this.log, 'utf8') : '';
    return { log, notes: readFileSync(this.notes) };
  }
}
