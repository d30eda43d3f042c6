import { createPinia, setActivePinia } from 'pinia';
import { useHistory } from './history.ts';

beforeEach(() => setActivePinia(createPinia()));

test('undo and redo bring the states back in order', async () => {
  const history = useHistory();
  let state = 0;
  for (const to of [1, 2, 3]) {
    const before = state;
    state = to;
    history.record({ label: `to ${to}`, undo: () => void (state = before), redo: () => void (state = to) });
  }
  await history.undo();
  await history.undo();
  expect([state, history.undoLabel, history.redoLabel]).toEqual([1, 'to 1', 'to 2']);
  await history.redo();
  expect(state).toBe(2);
  history.record({ label: 'other', undo: () => undefined, redo: () => undefined });
  expect(history.redoLabel).toBeNull();
});

test('a gesture is one change however long it takes; slow changes outside one are not joined', async () => {
  const history = useHistory();
  const undone: number[] = [];
  const clock = { now: 1_000_000 };
  const realNow = Date.now;
  Date.now = () => clock.now;
  try {
    const change = (n: number) => history.record({ label: 'drag', key: 'k', undo: () => void undone.push(n), redo: () => undefined });
    change(1);
    clock.now += 5000;
    history.beginGesture();
    for (const n of [2, 3, 4]) {
      clock.now += 5000;
      change(n);
    }
    history.endGesture();
    await history.undo();
    await history.undo();
    expect(undone).toEqual([2, 1]);
  } finally {
    Date.now = realNow;
  }
});

test('a change that could not be taken back stays the last one, and steps wait for one another', async () => {
  const history = useHistory();
  const done: string[] = [];
  let works = false;
  const slow = (name: string) => async () => {
    await new Promise((resolve) => setTimeout(resolve, 20));
    done.push(name);
  };
  history.record({ label: 'first', undo: slow('first'), redo: () => undefined });
  const undo = () => (works ? void done.push('second') : Promise.reject(new Error('no answer')));
  history.record({ label: 'second', undo, redo: slow('second again') });
  await expect(history.undo()).rejects.toThrow('no answer');
  expect([history.undoLabel, history.redoLabel]).toEqual(['second', null]);
  works = true;
  await Promise.all([history.undo(), history.undo(), history.redo()]);
  expect(done).toEqual(['second', 'first']);
  expect([history.undoLabel, history.redoLabel]).toEqual(['first', 'second']);
});
