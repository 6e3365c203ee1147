import { fileURLToPath } from 'node:url';

/**
 * The file of a worker's code. Threads run the built code, also where this is TypeScript (in tests, which
 * are run after a build).
 */
export function workerFile(name: string, base: string): string {
  const url = base.endsWith('.ts') ? base.replace('/apps/server/src/', '/apps/server/dist/') : base;
  return fileURLToPath(new URL(`${name}.js`, url));
}
