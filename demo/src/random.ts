/**
 * A seeded stream of numbers, the same on every machine. Source: the mulberry32 generator by T. Ettinger
 * (public domain), quoted from memory.
 */
export class Random {
  #state: number;

  constructor(seed: number) {
    this.#state = seed >>> 0;
  }

  /** Uniform in 0 (included) to 1 (excluded). */
  next(): number {
    this.#state = (this.#state + 0x6d2b79f5) >>> 0;
    let t = this.#state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  }

  between(low: number, high: number): number {
    return low + (high - low) * this.next();
  }

  whole(low: number, high: number): number {
    return Math.floor(this.between(low, high + 1));
  }

  /** Roughly normal with mean 0 and deviation 1: the sum of twelve uniforms less six. */
  normal(): number {
    let sum = -6;
    for (let i = 0; i < 12; i++) sum += this.next();
    return sum;
  }

  chance(probability: number): boolean {
    return this.next() < probability;
  }

  pick<T>(items: readonly T[]): T {
    return items[Math.floor(this.next() * items.length)];
  }

  /** Picks by weight. */
  weighted<T>(items: readonly (readonly [T, number])[]): T {
    let left = this.next() * items.reduce((sum, [, weight]) => sum + weight, 0);
    for (const [item, weight] of items) {
      left -= weight;
      if (left < 0) return item;
    }
    return items[items.length - 1][0];
  }
}
