/** What is told of how features came from elsewhere, as far as it says whether they are all. */
interface Came {
  came: number;
  live?: { sample?: { of: number } };
}

/** How many features there are elsewhere of which only a sample came; null where all came. */
export function sampledOf(from: Came | null): number | null {
  const of = from?.live?.sample?.of;
  return from && of !== undefined && of > from.came ? of : null;
}
