import { once } from './once.ts';

test('made once for all who ask, anew when forgotten, and again where it failed', async () => {
  let [made, fails] = [0, true];
  const thing = once(() => (fails ? Promise.reject(new Error('not yet')) : Promise.resolve(++made)));
  await expect(thing.get()).rejects.toThrow('not yet');
  fails = false;
  expect(await Promise.all([thing.get(), thing.get()])).toEqual([1, 1]);
  thing.forget();
  expect(await thing.get()).toBe(2);
});

test('what was forgotten while it was being made does not come back', async () => {
  const ends: ((value: string) => void)[] = [];
  const thing = once(() => new Promise<string>((resolve) => ends.push(resolve)));
  const before = thing.get();
  thing.forget();
  const after = thing.get();
  ends[1]('new');
  ends[0]('old');
  expect(await Promise.all([before, after, thing.get()])).toEqual(['old', 'new', 'new']);
});
