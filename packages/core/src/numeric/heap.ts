/**
 * A binary minimum heap of (key, index) pairs in two typed arrays that grow by doubling; no object per entry.
 * Push and pop are O(log n). Ties come out in no particular order.
 */
export class IndexHeap {
  private keys: Float64Array;
  private items: Int32Array;
  size = 0;

  constructor(capacity = 1024) {
    this.keys = new Float64Array(capacity);
    this.items = new Int32Array(capacity);
  }

  push(key: number, item: number): void {
    if (this.size === this.keys.length) this.grow();
    const keys = this.keys;
    const items = this.items;
    let i = this.size++;
    while (i > 0) {
      const parent = (i - 1) >> 1;
      const k = keys[parent]!;
      if (k <= key) break;
      keys[i] = k;
      items[i] = items[parent]!;
      i = parent;
    }
    keys[i] = key;
    items[i] = item;
  }

  /** Key of the least entry; NaN when empty. */
  peekKey(): number {
    return this.size > 0 ? this.keys[0]! : NaN;
  }

  /** Removes and returns the item with the least key; -1 when empty. */
  pop(): number {
    if (this.size === 0) return -1;
    const keys = this.keys;
    const items = this.items;
    const result = items[0]!;
    const n = --this.size;
    if (n > 0) {
      const key = keys[n]!;
      const item = items[n]!;
      let i = 0;
      for (;;) {
        let child = 2 * i + 1;
        if (child >= n) break;
        if (child + 1 < n && keys[child + 1]! < keys[child]!) child++;
        if (keys[child]! >= key) break;
        keys[i] = keys[child]!;
        items[i] = items[child]!;
        i = child;
      }
      keys[i] = key;
      items[i] = item;
    }
    return result;
  }

  private grow(): void {
    const n = this.keys.length * 2;
    const keys = new Float64Array(n);
    keys.set(this.keys);
    const items = new Int32Array(n);
    items.set(this.items);
    this.keys = keys;
    this.items = items;
  }
}

/** A first-in first-out queue of cell indices in a ring that grows by doubling. */
export class IndexQueue {
  private ring: Int32Array;
  private head = 0;
  size = 0;

  constructor(capacity = 1024) {
    this.ring = new Int32Array(Math.max(2, capacity));
  }

  push(item: number): void {
    const n = this.ring.length;
    if (this.size === n) {
      const bigger = new Int32Array(n * 2);
      const tail = n - this.head;
      bigger.set(this.ring.subarray(this.head), 0);
      bigger.set(this.ring.subarray(0, this.head), tail);
      this.ring = bigger;
      this.head = 0;
    }
    let at = this.head + this.size++;
    if (at >= this.ring.length) at -= this.ring.length;
    this.ring[at] = item;
  }

  /** Removes and returns the oldest item; -1 when empty. */
  shift(): number {
    if (this.size === 0) return -1;
    const item = this.ring[this.head]!;
    if (++this.head === this.ring.length) this.head = 0;
    this.size--;
    return item;
  }
}

/** A last-in first-out stack of cell indices that grows by doubling. */
export class IndexStack {
  private held = new Int32Array(1 << 12);
  size = 0;

  clear(): void {
    this.size = 0;
  }

  push(item: number): void {
    if (this.size === this.held.length) {
      const bigger = new Int32Array(this.size * 2);
      bigger.set(this.held);
      this.held = bigger;
    }
    this.held[this.size++] = item;
  }

  /** Removes and returns the newest item; the stack must not be empty. */
  pop(): number {
    return this.held[--this.size]!;
  }
}
