import { expect, test } from '@playwright/test';
import { newProject, openBench, state } from './helpers';

test('two foreign grids are looked at and taken in with one factor for both', async ({ page }) => {
  await openBench(page);
  await newProject(page, 'Seabed');
  if (!(await page.getByTestId('files').count())) await page.getByTestId('stage-gather').click();
  const bring = page.getByRole('button', { name: /Bring in veyra-seabed/ });
  await expect(bring).toHaveCount(2);
  await bring.nth(0).click();
  await expect(page.getByTestId('review-row-0')).toBeVisible({ timeout: 60_000 });
  await bring.nth(1).click();
  await expect(page.getByTestId('review-row-1')).toBeVisible();
  await expect(page.getByTestId('high').first()).toContainText('km');
  // A slip is said: the values change, the unit does not.
  await page.getByLabel('Factor for all').fill('-1000');
  await expect(page.getByText('The values change but the unit is still km').first()).toBeVisible();
  await page.getByLabel('Unit for all').fill('m');
  await expect(page.getByText('The values change but the unit is still km')).toHaveCount(0);
  await expect(page.getByTestId('low').first()).toContainText('−1');
  // A factor that is none stops everything.
  await page.getByLabel('Factor for all').fill('x');
  await expect(page.getByTestId('take')).toBeDisabled();
  await page.getByLabel('Factor for all').fill('-1000');
  await page.getByTestId('take').click();
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByTestId(/^row-veyra-seabed/).first()).toBeVisible();
  await expect(page.getByTestId('review')).toHaveCount(0);
  await expect(page.getByText('missing')).toBeVisible();
  await expect(state(page, 'failed')).toHaveCount(0);
});
