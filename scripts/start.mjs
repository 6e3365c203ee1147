// npm start: the built server on your own data (FLAIL_DATA, by default data/live).
import { endTogether, start } from './server.mjs';
import { prepare } from './setup.mjs';

prepare();
endTogether(start('apps/server/dist/main.js', process.argv.slice(2)));
