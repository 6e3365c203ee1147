import { expect, type Page, test } from '@playwright/test';
import { heldTo, HOUR, windowOf } from '../windows.js';
import { accessible } from '../accessible.js';

test.describe('an investigation', () => {
  test('finds the rare line of the headline episode by patterns alone, by keyboard', async ({
    page,
    request,
  }) => {
    // Pins go into the newest case; this one is its own.
    await request.post('/api/v1/cases', { data: { name: 'The rare line' } });
    await page.goto('/patterns');
    await page.getByTestId('focus-excess').focus();
    await page.keyboard.press('Enter');
    const rare = page.getByTestId('pattern').filter({ hasText: 'rejected, lease lost' });
    await expect(rare).toBeVisible();
    // It stands among the first three, and is opened without a mouse.
    const place = await page
      .getByTestId('pattern')
      .evaluateAll((rows) => rows.findIndex((row) => row.textContent.includes('rejected, lease lost')));
    expect(place).toBeLessThan(3);
    for (let row = 0; row <= place; row++) await page.keyboard.press('j');
    await page.keyboard.press('o');
    const detail = page.getByTestId('pattern-detail');
    // Whether the first of them falls into the focus depends on where the errors begin to stand out.
    await expect(detail).toContainText(/first seen|\d times/);
    await expect(detail.getByTestId('slot')).toHaveCount(1);
    await page.keyboard.press('p');
    await expect(page.getByTestId('pin-strip')).toContainText('1');
    await page.keyboard.press('Enter');
    await expect(page).toHaveURL(/\/logs\?.*pattern/);
    await expect(page.getByTestId('line').first()).toContainText('lease lost');
    await page.getByTestId('pin-strip').click();
    await page.getByTestId('pin').getByText('lease lost').click();
    await expect(page).toHaveURL(/\/patterns\?.*pattern=/);
    await expect(page.getByTestId('pattern-detail')).toContainText(/first seen|\d times/);
    await page.getByRole('button', { name: 'take off' }).click();
    await expect(page.getByTestId('pin')).toHaveCount(0);
  });

  test('finds the single line before sailings were refused, by narrowing to the path and the half hour', async ({
    page,
  }) => {
    const to = await heldTo(page);
    // The first refusal, 27 hours ago, found by its text.
    const search = await page.request.post('/api/v1/logs/search', {
      data: {
        window: { from: new Date(to - 28 * HOUR).toISOString(), to: new Date(to - 24 * HOUR).toISOString() },
        scope: '"too shallow"',
        order: 'oldest',
        limit: 1,
      },
    });
    const { records } = (await search.json()) as { records: { time: string }[] };
    const first = Date.parse(records[0]!.time);
    const scope = encodeURIComponent('service in (sailing-planner, tide-feed)');
    await page.goto(`/patterns?${windowOf(first - HOUR / 2, first)}&scope=${scope}`);
    const rows = page.getByTestId('pattern');
    await expect(rows.first()).toBeVisible();
    const place = await rows.evaluateAll((all) =>
      all.findIndex((row) => row.textContent.includes('calibration applied')),
    );
    expect(place).toBeGreaterThanOrEqual(0);
    expect(place).toBeLessThan(5);
  });

  test('tells the period of the line like clockwork, and the beat that was missed', async ({ page }) => {
    const to = await heldTo(page);
    const day = windowOf(to - 7.9 * 24 * HOUR, to - 7 * 24 * HOUR);
    await page.goto(`/logs?${day}&scope=${encodeURIComponent('"gauge poll complete"')}`);
    await page.getByTestId('line').first().click();
    await page.getByLabel('Record').getByRole('button', { name: 'regularity' }).click();
    await expect(page.getByTestId('regularity')).toContainText('Every 1 min');
    await expect(page.getByTestId('regularity')).toContainText('1 beat missed');
  });

  test('joins two patterns, sees what it touches, and takes it back', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/patterns?${windowOf(to - HOUR, to)}&find=berth+lease+for`);
    const rows = page.getByTestId('pattern').filter({ hasText: 'berth lease for' });
    await expect(rows).toHaveCount(2);
    const grain = page.getByLabel('About how many patterns');
    const before = Number(await grain.inputValue());
    for (const row of await rows.all()) await row.getByRole('checkbox').check();
    await page.getByRole('button', { name: 'join', exact: true }).click();
    await expect(rows).toHaveCount(1);
    await expect(grain).toHaveValue(String(before - 1));
    await page.getByTestId('note').getByRole('button', { name: 'undo' }).click();
    await expect(rows).toHaveCount(2);

    await rows.first().getByTitle('Look at it closely').click();
    await page
      .getByTestId('pattern-detail')
      .getByTitle(/^Make “lease” a slot/)
      .click();
    await expect(page.getByTestId('correction')).toContainText(/touches [\d,]+ lines?\. No line is changed/);
    await page.getByRole('button', { name: 'Leave it' }).click();
    await expect(page.getByTestId('correction')).toHaveCount(0);
  });

  test('mutes a pattern, which is counted, and brings it back', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/patterns?${windowOf(to - HOUR, to)}&order=common`);
    const first = page.getByTestId('pattern').first();
    await expect(first).toContainText('cache miss');
    await first.hover();
    await first.getByRole('button', { name: 'mute' }).click();
    await expect(page.getByTestId('note')).toContainText(/1 pattern hidden, \d\d% of the lines/);
    await expect(page.getByTestId('pattern').first()).not.toContainText('cache miss');
    await page.getByTestId('note').getByRole('button', { name: 'undo' }).click();
    await expect(page.getByTestId('pattern').first()).toContainText('cache miss');
  });

  test('names the chatty line and what leaving it out would save', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/patterns?${windowOf(to - HOUR, to)}&report=cost`);
    await expect(page.getByTestId('finding')).toContainText('one debug pattern of residency-registry');
    const row = page.getByTestId('noise-row').first();
    await expect(row).toContainText('cache miss for residency key');
    await expect(row).toContainText('written at level debug');
    const download = page.waitForEvent('download');
    await page.getByRole('button', { name: 'save a sender filter' }).click();
    expect((await download).suggestedFilename()).toBe('sender-filter.txt');
  });

  test('the four groups add up to all that matched', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/patterns?${windowOf(to - HOUR, to)}`);
    await expect(page.getByTestId('change-group')).toHaveCount(5);
    const total = Number((await page.getByTestId('count-focus').textContent())!.replaceAll(',', ''));
    const titles = await page
      .getByTestId('change-group')
      .evaluateAll((all) => all.map((one) => one.getAttribute('title')!));
    const sum = titles.reduce(
      (all, title) => all + Number(/: ([\d,]+) records in focus/.exec(title)![1]!.replaceAll(',', '')),
      0,
    );
    expect(sum).toBe(total);
  });
});

test.describe('lines', () => {
  const open = async (page: Page, more = ''): Promise<void> => {
    const to = await heldTo(page);
    await page.goto(`/logs?${windowOf(to - HOUR, to)}${more}`);
    await page.getByTestId('line').first().waitFor();
  };

  test('lead to their neighbours and back to the same place', async ({ page }) => {
    await open(page, `&scope=${encodeURIComponent('"lease lost"')}`);
    await page.getByTestId('line').nth(2).click();
    const text = await page.getByTestId('line').nth(2).textContent();
    await page.getByRole('button', { name: 'records around it' }).click();
    const around = page.getByTestId('around');
    await expect(around.getByTestId('finding')).toContainText(/50 records before and \d+ records? after/);
    await expect(around.locator('[data-middle]')).toHaveText(text!);
    await expect(around.locator('[data-middle]')).toBeVisible();
    await page.getByText('same instance').click();
    await expect(around.getByTestId('finding')).toContainText('same instance');
    for (const service of await around.getByTestId('line').locator('span:nth-child(3)').allTextContents())
      expect(service).toBe('berth-allocator');
    await page.getByRole('button', { name: 'back to the list' }).click();
    await expect(page.getByTestId('line').nth(2)).toHaveText(text!);
  });

  test('offer what can be done with selected text, right there', async ({ page }) => {
    test.setTimeout(120_000);
    await open(page, `&scope=${encodeURIComponent('service = berth-allocator')}`);
    const select = async (): Promise<void> => {
      const text = page
        .getByTestId('line')
        .filter({ hasText: 'lease granted' })
        .first()
        .locator('[data-selectable]');
      // Lines that still come in may move the row away from under the pointer.
      await expect(async () => {
        await text.dblclick({ position: { x: 12, y: 8 } });
        expect(await page.evaluate(() => window.getSelection()?.toString().trim())).toBe('lease');
      }).toPass();
      await expect(page.getByTestId('selection')).toBeVisible();
    };
    await select();
    await page.getByTestId('selection').getByText('highlight').click();
    await expect(page.locator('mark').first()).toHaveText('lease');
    await select();
    await page.getByTestId('selection').getByText('count over time').click();
    await expect(page.getByTestId('asked').locator('svg').first()).toBeVisible();
    await select();
    await page.getByTestId('selection').getByText('regularity').click();
    await expect(page.getByTestId('regularity')).toContainText(/Every|at no regular interval/);
    await select();
    await page.getByTestId('selection').getByText('without', { exact: true }).click();
    await expect(page).toHaveURL(/not\+%22lease%22|not%20%22lease%22/);
    await expect(page.getByTestId('line').filter({ hasText: 'lease granted' })).toHaveCount(0);
  });

  test('take columns, in an order that is dragged, and keep them in the address', async ({ page }) => {
    await open(page, '&fields=on');
    const field = page.locator('[data-testid=field][data-field=instance]');
    await field.hover();
    await field.getByRole('button', { name: 'Show instance as a column' }).click();
    await expect(page.getByTestId('column')).toHaveText([/service/, /instance/]);
    const [service, instance] = [
      await page.getByTestId('column').nth(0).boundingBox(),
      await page.getByTestId('column').nth(1).boundingBox(),
    ];
    await page.mouse.move(instance!.x + 20, instance!.y + 8);
    await page.mouse.down();
    await page.mouse.move(service!.x + 40, service!.y + 8, { steps: 8 });
    await page.mouse.move(service!.x + 10, service!.y + 8, { steps: 4 });
    await page.mouse.up();
    await expect(page.getByTestId('column')).toHaveText([/instance/, /service/]);
    await page.reload();
    await expect(page.getByTestId('column')).toHaveText([/instance/, /service/]);
  });

  test('are told as a table and as a chart of the same expression', async ({ page }) => {
    await open(page);
    await page.getByText('table', { exact: true }).click();
    await page.locator('input[aria-label=Steps]').fill('count by level');
    await page.keyboard.press('Enter');
    await expect(page.getByTestId('summary-table').locator('tbody tr')).toHaveCount(4);
    await page.getByText('chart', { exact: true }).click();
    await expect(page.getByText('Nothing to draw over time')).toBeVisible();
    await page.locator('input[aria-label=Steps]').fill('count by level every 1m');
    await page.keyboard.press('Enter');
    await expect(page.locator('figure svg path').first()).toBeVisible();
    await page.locator('input[aria-label=Steps]').fill('count by level every');
    await expect(page.getByText(/^At character/)).toBeVisible();
  });

  test('are saved as a file', async ({ page }) => {
    await open(page, `&scope=${encodeURIComponent('"lease lost"')}`);
    const matched = Number((await page.getByTestId('count-focus').textContent())!.replaceAll(',', ''));
    const download = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Save the lines' }).click();
    await page.getByRole('menuitem', { name: 'CSV, with the columns shown' }).click();
    const file = await (await download).createReadStream();
    let text = '';
    for await (const chunk of file) text += String(chunk);
    const lines = text.trimEnd().split('\r\n');
    expect(lines[0]).toBe('time,level,service,text');
    expect(lines).toHaveLength(matched + 1);
  });

  test('are followed as they come in, and wait while it is paused', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(
      `/logs?${windowOf(to - HOUR, to)}&scope=${encodeURIComponent('source = tide-feed and gull')}`,
    );
    await page.getByText('No record here').waitFor();
    await page.keyboard.press('f');
    await expect(page.getByTestId('follow')).toContainText('Following');
    let next = 0;
    // Of an earlier day, so that other tests do not meet them.
    const send = async (count: number): Promise<void> => {
      const ts = new Date(to - 3 * 24 * HOUR).toISOString();
      const lines = Array.from({ length: count }, () => `ts=${ts} level=info msg="gull ${next++} seen"`);
      const answer = await page.request.post('/api/v1/intake/logs?source=tide-feed', {
        data: lines.join('\n'),
        headers: { 'content-type': 'text/plain' },
      });
      expect(answer.status()).toBe(200);
    };
    await expect(async () => {
      await send(1);
      await expect(page.getByTestId('line').first()).toContainText('seen', { timeout: 1500 });
    }).toPass();
    const shown = await page.getByTestId('line').first().textContent();
    await page.keyboard.press(' ');
    await send(300);
    await expect(page.getByTestId('follow')).toContainText('300 records wait');
    await expect(page.getByTestId('line').first()).toHaveText(shown!);
    await page.keyboard.press(' ');
    await expect(page.getByTestId('line').first()).toContainText(`gull ${next - 1} seen`);
  });

  test('a kept scope comes back from a link with windows, scope and selection', async ({ page, context }) => {
    await open(page);
    await page.getByTestId('scope').click();
    await page.keyboard.type('service = berth-allocator and level >= warn');
    await page.keyboard.press('Escape');
    await page.getByTestId('scope').click();
    await page.keyboard.press('End');
    await page.keyboard.press('Enter');
    await expect(page).toHaveURL(/scope=service/);
    await page.getByRole('button', { name: 'Kept and earlier scopes' }).click();
    await page.getByLabel('Name for this scope').fill('Warnings of leases');
    await page.keyboard.press('Enter');
    await expect(page.getByRole('menuitem', { name: /^Warnings of leases/ })).toBeVisible();
    await page.keyboard.press('Escape');
    await page.getByTestId('line').nth(1).click();
    await expect(page).toHaveURL(/record=/);
    const address = page.url();
    const whole = await page.getByLabel('Record').locator('pre').textContent();

    const other = await context.newPage();
    await other.goto(address);
    await expect(other.getByLabel('Record').locator('pre')).toHaveText(whole!);
    await expect(other.getByTestId('scope')).toContainText('service = berth-allocator and level >= warn');
    await other.getByRole('button', { name: 'Clear the scope' }).click();
    await other.getByRole('button', { name: 'Kept and earlier scopes' }).click();
    await other
      .getByRole('menuitem', { name: /^Warnings of leases/ })
      .first()
      .click();
    await expect(other.getByTestId('scope')).toContainText('level >= warn');
    await other.getByRole('button', { name: 'Kept and earlier scopes' }).click();
    await other.getByRole('menuitem', { name: 'Let go of Warnings of leases' }).click();
    await expect(other.getByRole('menuitem', { name: 'Let go of Warnings of leases' })).toHaveCount(0);
  });
});

test.describe('for everybody', () => {
  for (const [name, more] of [
    ['patterns', ''],
    ['logs', '&fields=on'],
  ] as const)
    test(`${name} have nothing seriously wrong for those who do not see or use a mouse`, async ({ page }) => {
      const to = await heldTo(page);
      await page.goto(`/${name}?${windowOf(to - HOUR, to)}${more}`);
      await page
        .getByTestId(name === 'logs' ? 'line' : 'pattern')
        .first()
        .waitFor();
      await accessible(page);
    });
});
