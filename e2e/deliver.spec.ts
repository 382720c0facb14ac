// Deliver: presets as data, changed, kept, and what they write.
import { expect, test } from './setup';
import { openProject } from './app';

test('a preset is copied, changed component by component, kept in the stock, and written as it says', async ({ page }) => {
  await openProject(page, 'Mooring bollard', false);
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  const side = page.getByRole('complementary', { name: 'Deliver' });
  await side.getByRole('button', { name: 'packed occlusion-roughness-metallic, normal Y−' }).click();
  await side.getByLabel('size').selectOption('256');
  await side.getByRole('button', { name: 'Show the table' }).click();
  await expect(page.getByRole('dialog')).toContainText('normal, whole, Y−');
  await page.keyboard.press('Escape');
  await side.getByRole('button', { name: 'Copy' }).click();
  const editor = page.getByRole('dialog');
  await editor.getByLabel('Name of the preset').fill('Slipway');
  await editor.getByLabel('Names of files').fill('{project}-{map}-{size}');
  await editor.getByLabel('Name of file 1').fill('colour');
  await editor.getByLabel('A of colour').selectOption({ label: 'roughness' });
  await editor.getByLabel('Invert A of colour').click();
  await editor.getByLabel('Format of colour').selectOption('TIFF 16');
  await expect(editor.getByLabel('An example')).toContainText('Mooring_bollard-colour-256.tif: R G B = base color, A = 1 − roughness, sRGB, 16 bits');
  await editor.getByRole('button', { name: 'Take orm out' }).click();
  await editor.getByRole('button', { name: 'Take normal out' }).click();
  // a name that says nothing of maps: two files of it would be one
  await editor.getByRole('button', { name: '+ file' }).click();
  await editor.getByLabel('Names of files').fill('{project}');
  await editor.getByLabel('Format of map_2').selectOption('TIFF 8');
  await expect(editor.getByRole('alert')).toContainText('would be the same file');
  await editor.getByLabel('Names of files').fill('{project}-{map}');
  await expect(editor.getByRole('alert')).toHaveCount(0);
  await editor.getByRole('button', { name: 'Keep in the stock' }).click();
  await expect(editor.getByRole('button', { name: 'Keep in the stock' })).toHaveCount(0);
  await page.keyboard.press('Escape');
  await expect(side.getByRole('button', { name: 'Slipway', exact: true })).toHaveAttribute('aria-pressed', 'true');
  await side.getByRole('button', { name: 'Deliver', exact: true }).click();
  const link = side.getByRole('link', { name: /Mooring_bollard-colour\.tif/ });
  await expect(link).toBeVisible({ timeout: 240_000 });
  const tif = Buffer.from(await (await page.request.get((await link.getAttribute('href'))!)).body());
  expect(tif.subarray(0, 4).toString('latin1')).toBe('MM\0*');
  await expect(side.getByRole('link', { name: /Mooring_bollard-map_2\.tif/ })).toBeVisible();
  // it is there after a reload, for every project
  await page.reload();
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  await expect(side.getByRole('button', { name: 'Slipway', exact: true })).toBeVisible();
});
