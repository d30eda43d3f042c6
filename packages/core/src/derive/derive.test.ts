import fc from 'fast-check';
import { valueAt } from '../features/column.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { formatDay, formatInstant } from '../time/calendar.ts';
import { dateSpelled, instantSpelled, numberSpelled, yesNoSpelled } from './spellings.ts';
import { typedColumn, typeOffers } from './typed_column.ts';

const columnOf = (values: (string | null)[]) => {
  const builder = new TableBuilder();
  values.forEach((t) => builder.addFeature(null, { t }));
  return builder.finish().columns[0];
};

describe('numbers as tables write them', () => {
  test.each([
    ['184', 'point', 184],
    [' 0142 ', 'point', 142],
    ['1,234.5', 'point', 1234.5],
    ['1.234,5', 'comma', 1234.5],
    ['1 234 567', 'comma', 1_234_567],
    ["12'500", 'point', 12_500],
    ['-3,25', 'comma', -3.25],
    ['\u22127', 'point', -7],
    ['1,23', 'point', null],
    ['1.234', 'comma', 1234],
    ['n/a', 'point', null],
    ['12 cm', 'point', null],
    ['1e400', 'point', null],
    ['', 'point', null],
  ] as const)('%s, decimal %s', (text, decimal, value) => expect(numberSpelled(text, decimal)).toBe(value));

  test('what JavaScript prints comes back', () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), (n) => numberSpelled(String(n), 'point') === n || Object.is(n, -0)),
    );
  });
});

describe('dates as people write them', () => {
  test.each([
    ['2019-05-03', 'dmy', '2019-05-03'],
    ['3.5.2019', 'dmy', '2019-05-03'],
    ['03/05/2019', 'mdy', '2019-03-05'],
    ['31/12/2019', 'mdy', null],
    ['3 May 2019', 'dmy', '2019-05-03'],
    ['May 3, 2019', 'dmy', '2019-05-03'],
    ['Sept 2019', 'dmy', '2019-09'],
    ['05/2019', 'dmy', '2019-05'],
    ['20190503', 'dmy', '2019-05-03'],
    ['1987', 'dmy', '1987'],
    ['29.2.2023', 'dmy', null],
    ['unknown', 'dmy', null],
  ] as const)('%s, %s', (text, order, iso) => {
    const date = dateSpelled(text, order);
    expect(date && formatDay(date.day, date.precision)).toBe(iso);
  });

  test('with a time of day', () => {
    const shown = (text: string) => {
      const instant = instantSpelled(text, 'dmy');
      return instant && formatInstant(instant.millis, instant.offset);
    };
    expect(['3.5.2019 14:05', '2019-05-03T14:05:00+02:00', '3 May 2019, 9:30', '3.5.2019'].map(shown)).toEqual([
      '2019-05-03T14:05:00',
      '2019-05-03T14:05:00+02:00',
      '2019-05-03T09:30:00',
      null,
    ]);
  });

  test('yes and no', () => expect(['Yes', 'n', '1', 'maybe'].map(yesNoSpelled)).toEqual([true, false, true, null]));
});

test('a text column is offered as numbers, with every value that would not convert', () => {
  const [offer] = typeOffers(columnOf(['184', 'n/a', '', null, '95', '95', 'n/a', 'tall']));
  expect(offer).toMatchObject({
    present: 6,
    fitting: 3,
    losesZeros: false,
    misfits: [
      { value: 'n/a', count: 2 },
      { value: 'tall', count: 1 },
    ],
  });
  expect(offer.derivation.as).toBe('number');
});

test('codes with leading zeros are offered with a warning, mixed spellings of dates are told apart', () => {
  expect(typeOffers(columnOf(['0142', '0101']))[0].losesZeros).toBe(true);
  const [dates] = typeOffers(columnOf(['31.12.2019', '3.5.2019', 'May 2020']));
  expect(dates.derivation).toMatchObject({ as: 'date', order: 'dmy' });
  expect(typeOffers(columnOf(['12/31/2019', '1/2/2019']))[0].derivation).toMatchObject({ as: 'date', order: 'mdy' });
  expect(typeOffers(columnOf(['oak', 'ash']))).toEqual([]);
});

test('the typed column has a value where the text has one, and blanks elsewhere', () => {
  const column = columnOf(['184', 'n/a', '', null, '9,5']);
  const typed = typedColumn(column, { kind: 'typed', from: 't', as: 'number', decimal: 'comma', order: 'dmy' }, 't_number');
  expect([0, 1, 2, 3, 4].map((row) => valueAt(typed, row))).toEqual([184, null, null, null, 9.5]);
  expect(typed.chunks[0]).toMatchObject({ nulls: 3, min: 9.5, max: 184 });
  const dates = typedColumn(
    columnOf(['1987', '3 May 2019', '?']),
    { kind: 'typed', from: 't', as: 'date', decimal: 'point', order: 'dmy' },
    'd',
  );
  expect([0, 1, 2].map((row) => valueAt(dates, row))).toEqual(['1987', '2019-05-03', null]);
});
