import { expect, test } from '@playwright/test';
import { askFor, figure, openSample, runSheet } from './helpers';

test('peat probes: a code is made missing in a copy, a variogram is fitted, surfaces are made and judged', async ({
  page,
}) => {
  await openSample(page);
  await page.getByTestId('row-veyra-peat-probes').first().click();
  await askFor(page, 'how alike are near places');
  await page.getByLabel('Values').selectOption('depth_cm');
  await expect(page.getByTestId('check-column.suspectCode')).toContainText('-99.99');
  await page.getByRole('button', { name: 'Make -99.99 missing in a copy' }).click();
  await expect(page.getByTestId('input-points').locator('option:checked')).toHaveText('With column');
  await expect(page.getByTestId('check-column.suspectCode')).toHaveCount(0);
  await runSheet(page);
  await expect(figure(page, 'range')).toContainText('m');
  await expect(page.getByTestId('variogram-chart')).toContainText('nugget');

  await page.getByTestId('row-With column').first().click();
  await askFor(page, 'kriging');
  await page.getByLabel('Values').selectOption('depth_cm');
  await expect(page.getByTestId('suggestion').filter({ hasText: 'spacing' })).toBeVisible();
  await runSheet(page);
  await expect(page.getByTestId('row-Standard error')).toBeVisible();

  await page.getByTestId('row-With column').first().click();
  await askFor(page, 'which surface is to be trusted');
  await page.getByLabel('Values').selectOption('depth_cm');
  await page.getByLabel('Left out').selectOption('10');
  await runSheet(page);
  await expect(figure(page, 'best')).toHaveText(/kriging|spline|idw/);
  await expect(page.getByText(/least root mean square error/).first()).toBeVisible();
});
