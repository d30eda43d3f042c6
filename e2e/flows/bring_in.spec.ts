import { expect, test } from '../support/surface.ts';

const point = (properties: Record<string, unknown>, lon = 8, lat = 47) => ({
  type: 'Feature',
  geometry: { type: 'Point', coordinates: [lon, lat] },
  properties,
});
const collection = (features: unknown[]) => JSON.stringify({ type: 'FeatureCollection', features });

test('a GeoJSON file and a CSV table open, and their columns are understood', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('wells.geojson', collection([1, 2, 3].map((n) => point({ code: `00${n}`, depth: n * 10 }))));
  await expect(page.getByTestId('notice')).toContainText('wells: 3 features brought in');
  await expect(surface.kept).toHaveText('3');
  await expect(surface.table).toContainText('001');

  const rows = ['name;lon;lat;seen', '"Zürich, See";8.54;47.36;2024-05-01', 'Bern;7.44;46.95;'];
  await surface.bringIn('places.csv', rows.join('\r\n'));
  await expect(page.getByTestId('notice')).toContainText('places: 2 features brought in');
  await expect(surface.table).toContainText('Zürich, See');
  await expect(surface.table).toContainText('1 May 2024');
  await expect(surface.table.getByText('blank')).toHaveCount(1);
});

test('a file dropped on the window is taken in', async ({ surface }) => {
  const { page } = surface;
  const data = await page.evaluateHandle(
    (text) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([text], 'dropped.geojson'));
      return transfer;
    },
    collection([point({ a: 1 })]),
  );
  await page.dispatchEvent('body', 'dragover', { dataTransfer: data });
  await expect(page.getByText('Drop to bring it in')).toBeVisible();
  await page.dispatchEvent('body', 'drop', { dataTransfer: data });
  await page.getByTestId('take').click();
  await expect(page.getByTestId('notice')).toContainText('dropped: 1 feature brought in');
});

test('a table without telling names asks which columns hold the coordinates', async ({ surface }) => {
  const { page } = surface;
  await surface.choose({ name: 'odd.csv', content: 'site,east_deg,north_deg\nA,8.5,47.4\n' });
  const dialog = page.getByTestId('bring-in-dialog');
  await expect(dialog).toContainText('Which columns hold the coordinates?');
  await page.getByTestId('lon').click();
  await page.getByRole('option', { name: 'east_deg' }).click();
  await page.getByTestId('lat').click();
  await page.getByRole('option', { name: 'north_deg' }).click();
  await page.getByTestId('place').click();
  await expect(dialog).toContainText('Longitude and latitude would fit');
  await page.getByTestId('take').click();
  await expect(page.getByTestId('notice')).toContainText('odd: 1 feature brought in');
});

test('projected coordinates without a system: the likely ones are offered, any can be searched', async ({ surface }) => {
  const { page } = surface;
  await surface.choose({ name: 'utm.csv', content: 'easting,northing,n\n263000,5164000,1\n264000,5165000,2\n' });
  const dialog = page.getByTestId('bring-in-dialog');
  await expect(dialog).toContainText('needs its coordinate system');
  await expect(page.getByTestId('take')).toBeDisabled();
  await page.getByTestId('find-system').fill('utm 29n wgs 84');
  await dialog.getByRole('button', { name: /WGS 84 \/ UTM zone 29N EPSG:32629/ }).click();
  await expect(dialog).toContainText('WGS 84 / UTM zone 29N');
  await page.getByTestId('take').click();
  await expect(page.getByTestId('notice')).toContainText('utm: 2 features brought in');
  await expect(surface.kept).toHaveText('2');
});

test('several files at once, each a layer that can be left out', async ({ surface }) => {
  const { page } = surface;
  await surface.choose(
    { name: 'one.geojson', content: collection([point({ a: 1 })]) },
    { name: 'two.csv', content: 'lon,lat\n1,2\n3,4\n' },
    { name: 'three.geojson', content: collection([point({ a: 1 })]) },
  );
  await page.getByRole('checkbox', { name: 'Bring in three' }).uncheck();
  await page.getByTestId('take').click();
  await expect(page.getByTestId('notice')).toContainText('one: 1 feature brought in. two: 2 features brought in.');
  await expect(surface.list.getByRole('button', { name: 'three', exact: true })).toHaveCount(0);
});

test.describe('what cannot be read says why, and nothing is left behind', () => {
  const cases: [string, string, RegExp][] = [
    ['broken.geojson', collection([point({}), point({})]).slice(0, -30), /line 1|ends|feature 2/i],
    ['sea.geojson', collection([point({}, 512_000, 47)]), /not longitude and latitude/],
    ['empty.geojson', '', /empty/],
    ['text.geojson', 'hello', /Line 1 begins with/],
    ['cells.csv', 'lon,lat,a\n1,2,3\n1,2\n', /Row 3 has 2 cells/],
    ['far.csv', 'lon,lat\n8,95\n', /Row 2/],
    ['picture.png', 'x', /no ending that says which format/],
  ];
  for (const [name, content, message] of cases) {
    test(name, async ({ surface }) => {
      const sources = await surface.list.locator('.source').count();
      await surface.choose({ name, content });
      const dialog = surface.page.getByTestId('bring-in-dialog');
      await expect(dialog.getByRole('alert').first()).toContainText(message);
      await expect(surface.page.getByTestId('take')).toBeDisabled();
      await dialog.getByRole('button', { name: 'Cancel' }).click();
      await expect(dialog).toHaveCount(0);
      await expect(surface.list.locator('.source')).toHaveCount(sources);
      expect(await surface.keptCount()).toBeGreaterThan(0);
    });
  }
});

test('odd but valid: no features, no geometry, columns with strange names', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('none.geojson', collection([]));
  await expect(page.getByTestId('notice')).toContainText('none: 0 features brought in');
  await expect(surface.kept).toHaveText('0');

  const strange = { __proto__x: 1, 'a "quoted" name': 'x', constructor: 'y', id: 7, 'two words': true };
  const feature = JSON.stringify({ type: 'Feature', id: 'f1', geometry: null, properties: strange });
  const text = `{"type":"FeatureCollection","features":[${feature.replace('__proto__x', '__proto__')}]}`;
  await surface.bringIn('strange.geojson', text);
  await expect(page.getByTestId('notice')).toContainText('strange: 1 feature brought in');
  for (const name of ['proto', 'A "quoted" name', 'Constructor', 'Two words']) {
    await expect(surface.table.getByRole('columnheader', { name })).toBeVisible();
  }
  await surface.addColumn('quoted');
  await surface.chooseTest('is one of');
  await page.getByRole('checkbox', { name: /^x/ }).check();
  await surface.done();
  await expect(surface.kept).toHaveText('1');
  expect(await surface.text()).toBe(`"a ""quoted"" name" IN ('x')`);

  await surface.bringIn('twice.csv', 'lon,lat,a,a\n1,2,x,y\n');
  await expect(page.getByTestId('notice')).toContainText('the later one is called a_2 here');
});
