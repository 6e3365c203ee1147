// npm run dev: reload on both sides. The page is at the address that Vite prints; it asks the server on FLAIL_PORT.
import { prepare, run } from './setup.mjs';

prepare();
const parts = [
  'tsc -b packages/core packages/contract apps/fleet --watch --preserveWatchOutput',
  'cd apps/server && swc src -d dist --strip-leading-paths -w',
  'cd apps/server && node --watch-path=dist --watch-path=../../packages/core/dist dist/main.js',
  'cd apps/web && vite',
];
run(`npx concurrently -k -n core,swc,server,web ${parts.map((part) => JSON.stringify(part)).join(' ')}`);
