/** Binary heap of (key, value) pairs, least key first, on typed arrays that grow. */
export class BinaryHeap {
  private keys: Float64Array;
  private values: Int32Array;
  size = 0;

  constructor(capacity: number) {
    this.keys = new Float64Array(capacity + 1);
    this.values = new Int32Array(capacity + 1);
  }

  get topKey(): number {
    return this.keys[0];
  }

  clear(): void {
    this.size = 0;
  }

  push(key: number, value: number): void {
    if (this.size === this.keys.length) {
      const keys = new Float64Array(this.size * 2);
      keys.set(this.keys);
      this.keys = keys;
      const values = new Int32Array(this.size * 2);
      values.set(this.values);
      this.values = values;
    }
    const { keys, values } = this;
    let at = this.size++;
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (keys[parent] <= key) break;
      keys[at] = keys[parent];
      values[at] = values[parent];
      at = parent;
    }
    keys[at] = key;
    values[at] = value;
  }

  pop(): number {
    const { keys, values } = this;
    const result = values[0];
    const last = --this.size;
    const key = keys[last];
    const value = values[last];
    let at = 0;
    for (;;) {
      let child = 2 * at + 1;
      if (child >= last) break;
      if (child + 1 < last && keys[child + 1] < keys[child]) child++;
      if (keys[child] >= key) break;
      keys[at] = keys[child];
      values[at] = values[child];
      at = child;
    }
    keys[at] = key;
    values[at] = value;
    return result;
  }
}
