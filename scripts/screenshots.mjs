// npm run screenshots: takes the pictures of docs/screenshots anew, from demo data.
import { prepare, run } from './setup.mjs';

prepare();
run('npx playwright test -c e2e/playwright.config.ts --grep @pictures', {
  env: { ...process.env, FLAIL_PICTURES: '1' },
});
