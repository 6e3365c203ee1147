import { fileURLToPath } from 'node:url';

/**
 * Where a worker's code lies, and how Node has to be told to run it: built code as it is, TypeScript
 * (in tests) through tsx.
 */
export function workerFile(name: string, base: string): { filename: string; execArgv: string[] } {
  const source = base.endsWith('.ts');
  return {
    filename: fileURLToPath(new URL(`${name}.${source ? 'ts' : 'js'}`, base)),
    execArgv: source ? ['--import', 'tsx', '--conditions=source'] : [],
  };
}
