// Work that goes out as .grime files and comes in: looked into first, taken after.
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from './setup';
import { apart, openProject, pixel, settled } from './app';

/** Writes a file by way of a link. */
async function written(page: Page, click: () => Promise<unknown>) {
  const coming = page.waitForEvent('download');
  await click();
  const d = await coming;
  return { name: d.suggestedFilename(), bytes: readFileSync((await d.path())!) };
}

/** Drops a file on the window. */
async function drop(page: Page, name: string, bytes: Buffer) {
  const data = await page.evaluateHandle(
    ([name, b64]) => {
      const t = new DataTransfer();
      t.items.add(new File([Uint8Array.from(atob(b64), (c) => c.charCodeAt(0))], name));
      return t;
    },
    [name, bytes.toString('base64')],
  );
  await page.dispatchEvent('body', 'drop', { dataTransfer: data });
}

test('a project is written, looked into and taken, and looks the same', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const layers = page.getByRole('button', { name: /^Hide / });
  const [count, was] = [await layers.count(), await pixel(page, 0.5, 0.5)];
  await page.goto('/');
  const file = await written(page, () => page.getByRole('link', { name: 'Write Mooring bollard as a file' }).click());
  expect(file.name).toBe('mooring-bollard.grime');
  await page.getByTestId('chooser').setInputFiles({ name: file.name, mimeType: 'application/zip', buffer: file.bytes });
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('with its model, layers, strokes');
  await expect(dialog).toContainText('nothing is taken yet');
  await dialog.getByRole('button', { name: 'Take the project' }).click();
  await expect(page).toHaveURL(/#\/project\//);
  await settled(page);
  await expect(layers).toHaveCount(count);
  expect(apart(was, await pixel(page, 0.5, 0.5))).toBeLessThan(10);

  // what cannot be read is refused with the place
  await page.goto('/');
  await drop(page, 'half.grime', file.bytes.subarray(0, 4000));
  await expect(dialog.getByRole('alert')).toContainText('half.grime: it is no .grime file');
  await dialog.getByRole('button', { name: 'Leave it' }).click();
  await expect(dialog).toHaveCount(0);

  // the copy is the newest; it goes again
  await page.getByRole('button', { name: 'Delete Mooring bollard' }).first().click();
  await expect(page.getByText('was deleted')).toBeVisible();
});

test('marked materials are written, and dropped on an open project go into the stock', async ({ page }) => {
  await openProject(page, 'Mooring bollard', false);
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  for (const name of ['Cast iron', 'Clean gold']) {
    await page.getByLabel('Find a material').fill(name);
    await page.locator('.shelf .item').hover();
    await page.getByRole('button', { name: `Mark ${name} for a line-up` }).click();
  }
  const file = await written(page, () => page.getByRole('link', { name: 'Write', exact: true }).click());
  await drop(page, file.name, file.bytes);
  const dialog = page.getByRole('dialog').and(page.locator(':not([aria-label=Stock])'));
  await expect(dialog.getByRole('button', { name: 'material Cast iron' })).toHaveAttribute('aria-pressed', 'true');
  await dialog.getByRole('button', { name: 'material Cast iron' }).click();
  await dialog.getByRole('button', { name: 'Take 1 of 2' }).click();
  await expect(dialog).toContainText('“Clean gold” is in the stock');
  await dialog.getByRole('button', { name: 'Close' }).last().click();
  await expect(dialog).toHaveCount(0);
  await page.getByLabel('Find a material').fill('clean gold kept');
  await expect(page.locator('.shelf .item')).toHaveCount(1);
  await page.getByRole('button', { name: 'Delete Clean gold' }).click();
  await expect(page.getByText('Clean gold was deleted.')).toBeVisible();
});
