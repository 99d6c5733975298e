/** Puts a dataset, by its name, into an input of the open run sheet. */
export async function choose(page, role, name) {
  await page.getByTestId(`input-${role}`).click();
  await page
    .getByTestId('choices')
    .getByRole('option')
    .filter({ has: page.getByTitle(name, { exact: true }) })
    .first()
    .click();
}
