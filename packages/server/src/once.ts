/** Something that is made when it is first asked for and kept; where making it failed, the next one tries again. */
export interface Once<T> {
  get(): Promise<T>;
  /** Makes it anew when it is next asked for. */
  forget(): void;
}

export function once<T>(make: () => Promise<T>): Once<T> {
  let made: Promise<T> | null = null;
  return {
    get() {
      if (made) return made;
      const making = make();
      made = making;
      making.catch(() => {
        if (made === making) made = null;
      });
      return making;
    },
    forget() {
      made = null;
    },
  };
}
