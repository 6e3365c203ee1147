// npm run flail -- load FILE…
import { start } from './server.mjs';
import { prepare } from './setup.mjs';

prepare();
start('apps/server/dist/cli/main.js', process.argv.slice(2)).once('exit', (code) => process.exit(code ?? 1));
