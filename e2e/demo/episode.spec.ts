import { expect, test } from '@playwright/test';
import { episode, MINUTE, windowOf } from '../windows.js';

const RARE = /fencing token .+ rejected, lease lost/;

test.describe('the lease episode', () => {
  test('from the first page to the line that matters', async ({ page }) => {
    await page.goto('/patterns');
    // The timeband shows what is held, and says where errors stand out.
    await expect(page.getByTestId('timeband').locator('path').first()).toBeVisible();
    await expect(page.getByText(/of records are errors, against .+ It goes on\./)).toBeVisible();
    await page.getByTestId('focus-excess').click();
    await expect(page.getByTestId('focus-bracket')).toBeVisible();
    await expect(page.getByTestId('baseline-bracket')).toBeVisible();

    // The rare line is among the first three by surprise, and the finding tells of it.
    const rows = page.getByTestId('pattern');
    await expect(rows.nth(2)).toBeVisible();
    const texts = (await rows.allTextContents()).slice(0, 3);
    expect(texts.some((text) => RARE.test(text))).toBe(true);
    const rare = rows.filter({ hasText: RARE });
    await expect(rare).toContainText('berth-allocator');
    await expect(page.getByTestId('finding')).toContainText('never seen before');

    // Its lines open, and the way is said.
    await rare.getByRole('button', { name: 'lines' }).click();
    await expect(page).toHaveURL(/\/logs\?.*scope=pattern/);
    await expect(page.getByTestId('carried')).toContainText('rejected, lease lost');
    const lines = page.getByTestId('line');
    await expect(lines.first()).toContainText(RARE);
    await expect(page.getByTestId('finding')).toContainText('records match');
    // The count beside the scope is asked for by itself.
    await expect(page.getByTestId('count-focus')).toHaveText(/^\d{2,3}$/);
    const shown = Number((await page.getByTestId('count-focus').textContent())?.replace(/\D/g, ''));
    expect(shown).toBeGreaterThan(20);
    await expect(page.getByTestId('finding')).toContainText(`${shown} records match`);

    // One of them whole, and back to where one came from.
    await lines.first().click();
    await expect(page.getByRole('complementary', { name: 'Record' })).toContainText('sailing');
    await page.getByRole('button', { name: 'back' }).click();
    await expect(page).toHaveURL(/\/patterns\?/);
    await expect(page.getByTestId('scope')).not.toContainText('pattern');
  });

  test('the same by keyboard alone', async ({ page }) => {
    await page.goto('/patterns');
    await page.getByRole('button', { name: /^Focus: none/ }).press('Enter');
    // Since it began, told back from now.
    const minutes = Math.ceil((Date.now() - episode('E1').start) / MINUTE) + 1;
    await page.getByRole('textbox', { name: 'Focus as text' }).fill(`last ${minutes} min`);
    await page.keyboard.press('Enter');
    const rows = page.getByTestId('pattern');
    await expect(rows.first()).toBeVisible();
    const texts = await rows.allTextContents();
    const at = texts.findIndex((text) => RARE.test(text));
    expect(at).toBeGreaterThanOrEqual(0);
    expect(at).toBeLessThan(3);
    for (let step = 0; step <= at; step++) await page.keyboard.press('j');
    await page.keyboard.press('Enter');
    await expect(page.getByTestId('line').first()).toContainText(RARE);
    await page.keyboard.press('5');
    await expect(page).toHaveURL(/\/patterns\?/);
    await page.keyboard.press('b');
    await expect(page.getByRole('button', { name: 'Baseline: a day before' })).toBeVisible();
  });

  test('from every view one goes on to the next, with a focus that was moved', async ({ page }) => {
    test.setTimeout(120_000);
    const { start } = episode('E1');
    await page.goto(`/health?${windowOf(start, start + 30 * MINUTE)}`);
    const views = ['Health', 'Requests', 'Runs', 'Logs', 'Patterns', 'Metrics', 'Onsets', 'Changes', 'Map'];
    for (const [at, name] of views.entries()) {
      await page.keyboard.press(String(at + 1));
      await expect(page.locator(`main section[aria-label="${name}"]`)).toBeVisible({ timeout: 30_000 });
      const before = page.url();
      await page.keyboard.press(at % 2 === 0 ? '[' : ']');
      await expect(page).not.toHaveURL(before);
      // What is drawn anew without end keeps other views from being drawn.
      await page.waitForTimeout(1000);
    }
  });

  test('a copied link opens the same windows, scope and view', async ({ page, context }) => {
    await page.goto('/patterns');
    await page.getByTestId('focus-excess').click();
    await expect(page.getByTestId('pattern').nth(5)).toBeVisible();
    await page.getByTestId('pattern').first().getByRole('button', { name: 'only' }).click();
    await expect(page).toHaveURL(/scope=pattern/);
    await expect(page.getByTestId('pattern')).toHaveCount(1);
    await expect(page.locator('[aria-busy=false]')).toBeVisible();
    const finding = await page.getByTestId('finding').textContent();
    const other = await context.newPage();
    await other.goto(page.url());
    await expect(other.getByTestId('finding')).toHaveText(finding!);
    await expect(other.getByTestId('pattern')).toHaveCount(1);
    await page.goBack();
    await expect(page).not.toHaveURL(/scope=/);
    await expect(page.getByTestId('pattern').nth(5)).toBeVisible();
  });

  test('without takes a pattern away and keeps the rest', async ({ page }) => {
    await page.goto('/patterns?order=common');
    await page.getByTestId('focus-excess').click();
    const first = page.getByTestId('pattern').first();
    await expect(first).toContainText('cache miss');
    await expect(page.getByTestId('count-focus')).toHaveText(/\d/);
    const before = Number((await page.getByTestId('count-focus').textContent())?.replace(/\D/g, ''));
    await first.getByRole('button', { name: 'without' }).click();
    await expect(page.getByTestId('scope')).toContainText('not pattern');
    await expect(first).not.toContainText('cache miss');
    await expect
      .poll(async () => Number((await page.getByTestId('count-focus').textContent())?.replace(/\D/g, '')))
      .toBeLessThan(before / 2);
  });
});

test.describe('the timeband', () => {
  test('takes a drawn focus, a moved one, and zooms', async ({ page }) => {
    await page.goto('/patterns');
    const band = page.getByTestId('timeband');
    await expect(band.locator('path').first()).toBeVisible();
    const box = (await band.boundingBox())!;
    const drag = async (from: number, to: number): Promise<void> => {
      await page.mouse.move(box.x + from, box.y + 20);
      await page.mouse.down();
      await page.mouse.move(box.x + (from + to) / 2, box.y + 20);
      await page.mouse.move(box.x + to, box.y + 20);
      await page.mouse.up();
    };
    const words = page.getByRole('button', { name: /^Focus:/ });
    await drag(600, 700);
    await expect(page).toHaveURL(/focus=/);
    // The address changes before the page does.
    await expect(words).not.toContainText('none');
    const drawn = await words.textContent();
    await drag(650, 550);
    await expect(words).not.toHaveText(drawn!);
    const moved = await words.textContent();
    // The baseline is tied to the focus until it is moved itself.
    await expect(page.getByRole('button', { name: 'Baseline: just before' })).toBeVisible();
    await drag(450, 300);
    await expect(page.getByRole('button', { name: 'Baseline: own choice' })).toBeVisible();
    await expect(words).toHaveText(moved!);
    const all = Number(await band.getAttribute('data-to')) - Number(await band.getAttribute('data-from'));
    await page.mouse.move(box.x + 500, box.y + 20);
    await page.mouse.wheel(0, -300);
    await expect
      .poll(
        async () => Number(await band.getAttribute('data-to')) - Number(await band.getAttribute('data-from')),
      )
      .toBeLessThan(all);
    await expect(page).toHaveURL(/band=/);
    await page.getByRole('button', { name: 'show all' }).click();
    await expect(page).not.toHaveURL(/band=/);
  });

  test('says when a typed window is not understood, and keeps the one there was', async ({ page }) => {
    await page.goto('/patterns');
    await page.getByTestId('focus-excess').click();
    const words = page.getByRole('button', { name: /^Focus:/ });
    await expect(words).not.toContainText('none');
    const before = await words.textContent();
    await words.click();
    await page.getByRole('textbox', { name: 'Focus as text' }).fill('2026-03-02 19:00 to 2026-03-02 18:00');
    await page.keyboard.press('Enter');
    await expect(page.getByText('Not understood.')).toBeVisible();
    await page.keyboard.press('Escape');
    await expect(words).toHaveText(before!);
  });
});

test.describe('the scope line', () => {
  test.beforeEach(async ({ page }) => {
    await page.goto('/logs');
    await page.getByTestId('focus-excess').click();
    await expect(page.getByTestId('line').first()).toBeVisible();
  });

  test('completes fields and values, and narrows', async ({ page }) => {
    await page.keyboard.press('/');
    await page.keyboard.type('serv');
    await page.getByRole('option', { name: 'service', exact: true }).click();
    await page.keyboard.type('lock');
    await page.getByRole('option', { name: /lock-store/ }).click();
    await page.keyboard.press('Enter');
    await expect(page).toHaveURL(/scope=service/);
    await expect(page.getByTestId('line').first()).toContainText('lock-store');
  });

  test('says where an expression is wrong and what was expected, and keeps what is shown', async ({
    page,
  }) => {
    await page.getByTestId('scope').click();
    await page.keyboard.type('level >= and x');
    await page.keyboard.press('Escape');
    await page.getByTestId('scope').click();
    await page.keyboard.press('End');
    await page.keyboard.press('Enter');
    await expect(page.getByRole('alert')).toContainText('At character 10: Expected a value after >=');
    await expect(page.getByTestId('line').first()).toBeVisible();
    await expect(page).not.toHaveURL(/scope=/);
  });

  test('an empty result says why and what would widen it', async ({ page }) => {
    await page.getByTestId('scope').click();
    await page.keyboard.type('"no such words anywhere"');
    await page.keyboard.press('Enter');
    await expect(page.getByRole('heading', { name: 'No record here' })).toBeVisible();
    await expect(page.getByText('no record at any time matches the scope')).toBeVisible();
    await page.getByRole('button', { name: 'drop the scope' }).click();
    await expect(page.getByTestId('line').first()).toBeVisible();
  });
});

test('the rail shows the views there are, and the look can be turned dark', async ({ page }) => {
  await page.goto('/patterns');
  await expect(page.getByRole('navigation', { name: 'Views' }).getByRole('link')).toHaveText([
    /Health/,
    /Requests/,
    /Runs/,
    /Logs/,
    /Patterns/,
    /Metrics/,
    /Onsets/,
    /Changes/,
    /Map/,
    /Contrast/,
    /Case/,
    /Sources/,
  ]);
  await page.getByRole('button', { name: 'Turn dark' }).click();
  await expect(page.locator('html')).toHaveAttribute('data-mantine-color-scheme', 'dark');
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keys' })).toContainText('next, previous row');
});
