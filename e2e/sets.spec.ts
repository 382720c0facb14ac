// Materials of pictures: told by their names, corrected, laid on; a single photograph taken apart.
import { expect, test, type Page } from './setup';
import { apart, openProject, pixel, settled } from './app';

/** A picture of one colour, with a grain, as a file. */
async function picture(page: Page, name: string, rgb: [number, number, number], grain = 0) {
  const b64 = await page.evaluate(
    async ([r, g, b, grain]) => {
      const c = new OffscreenCanvas(64, 64);
      const x = c.getContext('2d')!;
      for (let i = 0; i < 64; i++)
        for (let j = 0; j < 64; j++) {
          const k = ((i >> 3) + (j >> 3)) % 2 ? grain : -grain;
          x.fillStyle = `rgb(${r + k} ${g + k} ${b + k})`;
          x.fillRect(i, j, 1, 1);
        }
      const bytes = new Uint8Array(await (await c.convertToBlob()).arrayBuffer());
      return btoa(String.fromCharCode(...bytes));
    },
    [...rgb, grain] as const,
  );
  return { name, mimeType: 'image/png', buffer: Buffer.from(b64, 'base64') };
}

test('a set of pictures becomes a material, corrected before it is made; a photograph is taken apart', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const before = await pixel(page, 0.5, 0.5);
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  const chooser = page.getByLabel('Pictures of a material');
  await chooser.setInputFiles([
    await picture(page, 'quay_sign_albedo.png', [30, 60, 200]),
    await picture(page, 'quay_sign_gloss.png', [20, 20, 20]),
    await picture(page, 'quay_sign_normal.png', [128, 128, 255]),
    await picture(page, 'quay_sign_thing.png', [255, 255, 255]),
  ]);
  const dialog = page.getByRole('dialog', { name: 'A material of pictures' });
  const holds = (name: string) => dialog.getByLabel(`What ${name} holds`);
  await expect(holds('quay_sign_albedo.png')).toHaveValue('baseColor');
  await expect(holds('quay_sign_gloss.png')).toHaveValue('roughness');
  await expect(dialog.getByRole('row', { name: /gloss becomes roughness/ }).getByRole('checkbox')).toBeChecked();
  await expect(dialog.getByLabel('Green of quay_sign_normal.png')).toHaveValue('false');
  await expect(holds('quay_sign_thing.png')).toHaveValue('');
  await holds('quay_sign_thing.png').selectOption('metallic');
  await expect(dialog.getByLabel('Name of the material')).toHaveValue('Quay sign');
  await dialog.getByRole('button', { name: 'Lay it on' }).click();
  const dials = page.getByRole('group', { name: 'Dials of Quay sign' });
  await expect(dials).toBeVisible();
  await settled(page);
  const blue = await pixel(page, 0.5, 0.5);
  expect(apart(before, blue)).toBeGreaterThan(20);
  expect(blue[2]).toBeGreaterThan(blue[0] + 10);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(dials).toHaveCount(0);

  // one picture that tells nothing; its dial of size is turned
  await chooser.setInputFiles([await picture(page, 'IMG_0042.png', [150, 110, 70], 40)]);
  await expect(dialog).toContainText('a photograph: it is taken apart');
  await dialog.getByRole('button', { name: 'Lay it on' }).click();
  await settled(page);
  await page.getByRole('slider', { name: 'relief' }).fill('1');
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toHaveAttribute('title', /relief/);
  await settled(page);
  expect(apart(before, await pixel(page, 0.5, 0.5))).toBeGreaterThan(15);
  await expect(page.getByRole('alert')).toHaveCount(0);

  // what is no picture is refused by its name
  await chooser.setInputFiles([{ name: 'torn.png', mimeType: 'image/png', buffer: Buffer.from('no picture') }]);
  await expect(dialog.getByRole('alert')).toContainText('torn.png');
  await dialog.getByRole('button', { name: 'Leave it' }).click();
  for (let i = 0; i < 2; i++) await page.getByRole('button', { name: 'Undo', exact: true }).click();
});
