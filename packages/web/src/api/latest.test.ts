import { latest } from './latest.ts';

const after = (millis: number, answer: string) => (signal: AbortSignal) =>
  new Promise<string>((resolve, reject) => {
    setTimeout(() => resolve(answer), millis);
    signal.addEventListener('abort', () => reject(new Error('given up')));
  });

test('of questions that follow one another only the last is answered, and the others are given up', async () => {
  const ask = latest();
  const given = [ask(after(30, 'first')), ask(after(20, 'second')), ask(after(1, 'third'))];
  expect(await Promise.all(given)).toEqual([undefined, undefined, 'third']);
});

test('what comes too late although it was given up is no answer', async () => {
  const ask = latest();
  const deaf = ask(() => new Promise<string>((resolve) => setTimeout(() => resolve('late'), 20)));
  expect(await Promise.all([deaf, ask(after(1, 'now'))])).toEqual([undefined, 'now']);
});

test('an error is one', async () => {
  await expect(latest()(() => Promise.reject(new Error('broken')))).rejects.toThrow('broken');
});
