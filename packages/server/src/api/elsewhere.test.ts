import { ElsewhereError, refuseFromElsewhere } from './elsewhere.ts';

const area = { name: 'quay', shape: { type: 'Point', coordinates: [1, 2] }, description: null };

test.each([
  ['nothing is said of what it was made from', undefined],
  ['it was made from what is there', { shape: { type: 'Point', coordinates: [1, 2] } }],
  ['what is not there was not there', { description: undefined }],
  ['something else than what was changed is another', {}],
])('a change is taken where %s', (_, from) => {
  expect(() => refuseFromElsewhere('The area', area, from)).not.toThrow();
});

test.each([{ name: 'pier' }, { shape: { type: 'Point', coordinates: [1, 3] } }, { name: 'quay', description: 'x' }])(
  'a change made from %j is refused in words',
  (from) => {
    expect(() => refuseFromElsewhere('The area', area, from)).toThrow(ElsewhereError);
    expect(() => refuseFromElsewhere('The area', area, from)).toThrow('The area was changed in another window meanwhile');
  },
);
