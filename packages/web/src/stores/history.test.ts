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
    const change = (n: number) =>
      history.record({ label: 'drag', key: 'k', undo: () => void undone.push(n), redo: () => undefined });
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
