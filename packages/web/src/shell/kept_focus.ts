/** Elements that had the focus, with all that they stood in. */
type Trail = { element: HTMLElement; within: HTMLElement[] }[];
const LONGEST = 24;

const canHave = (element: HTMLElement): boolean => element.isConnected && element.checkVisibility();
const isStop = (element: HTMLElement): boolean => element.tabIndex >= 0 || element.hasAttribute('tabindex');

/**
 * Where the focus goes when what had it is gone: to the nearest thing that it stood in and that can have it, or else to what had it
 * before. Null where nothing of it is left.
 */
export function heirOf(trail: Trail): HTMLElement | null {
  for (const { element, within } of trail.toReversed()) {
    const heir = [element, ...within].find((one) => canHave(one) && isStop(one));
    if (heir) return heir;
  }
  return null;
}

/**
 * Keeps the focus on the page: when what has it is taken away (a row, an editor, a dialog), it is handed on rather than lost to the
 * page, from where a keyboard would begin anew.
 * @returns stops doing so
 */
export function keepFocus(document: Document): () => void {
  let trail: Trail = [];
  const noted = ({ target }: FocusEvent): void => {
    if (!(target instanceof HTMLElement) || target === document.body) return;
    const within: HTMLElement[] = [];
    for (let at = target.parentElement; at && at !== document.body; at = at.parentElement) within.push(at);
    trail = [...trail.filter(({ element }) => element !== target), { element: target, within }].slice(-LONGEST);
  };
  let waiting = 0;
  const handOn = (): void => {
    waiting = 0;
    const last = trail.at(-1);
    const isLost = document.activeElement === null || document.activeElement === document.body;
    // A click beside everything takes the focus away too, and is meant.
    if (!last || !isLost || canHave(last.element)) return;
    heirOf(trail)?.focus({ preventScroll: true });
  };
  // After what takes it away has been drawn, and after whoever sees to the focus itself.
  const look = (): void => {
    if (waiting === 0) waiting = requestAnimationFrame(() => (waiting = requestAnimationFrame(handOn)));
  };
  const observer = new MutationObserver(look);
  document.addEventListener('focusin', noted);
  document.addEventListener('focusout', look);
  observer.observe(document.body, { childList: true, subtree: true });
  return () => {
    observer.disconnect();
    cancelAnimationFrame(waiting);
    document.removeEventListener('focusin', noted);
    document.removeEventListener('focusout', look);
  };
}
