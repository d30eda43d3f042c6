import { ThriftError, walkStruct } from './thrift_bounds.ts';

/** A structure with a number, a text, a list of numbers, a map and a structure in it, as the protocol writes them. */
const WHOLE = [
  ...[0x15, 80], // field 1: the 32-bit number 40
  ...[0x18, 3, 97, 98, 99], // field 2: a text of three bytes
  ...[0x19, 0x35, 2, 4, 6], // field 3: a list of three numbers
  ...[0x1b, 1, 0x58, 2, 1, 120], // field 4: a map of a number to a text
  ...[0x1c, 0x11, 0x15, 1, 0x00], // field 5: a structure with a yes and the number -1
  0x00,
];

test('a structure that is whole is gone through to its end', () => {
  const { end, numbers } = walkStruct(Uint8Array.from([...WHOLE, 1, 2, 3]), 0, WHOLE.length + 3);
  expect(end).toBe(WHOLE.length);
  expect([...numbers]).toEqual([
    ['1', 40],
    ['5.2', -1],
  ]);
});

test.each([
  ['a list of billions', [0x19, 0xf1, 0xff, 0xff, 0xff, 0xff, 0x0f, 0, 0, 0]],
  ['a map of billions', [0x1b, 0xff, 0xff, 0xff, 0xff, 0x0f, 0x11, 0, 0, 0]],
  ['a text that is longer than what is left', [0x18, 200, 1, 2, 3]],
  ['a number without an end', [0x15, ...new Array<number>(12).fill(0xff)]],
  ['a member of an unknown type', [0x1e, 0, 0]],
  ['no end', [0x15, 2]],
  ['thousands of structures in one another', new Array<number>(5000).fill(0x1c)],
])('%s is refused', (_, bytes) => {
  expect(() => walkStruct(Uint8Array.from(bytes), 0, bytes.length)).toThrow(ThriftError);
});
