/** Whole numbers that grow in number, in one typed array. */
export class IntList {
  private items = new Int32Array(1024);
  length = 0;

  push(value: number): number {
    if (this.length === this.items.length) {
      const wider = new Int32Array(2 * this.items.length);
      wider.set(this.items);
      this.items = wider;
    }
    this.items[this.length] = value;
    return this.length++;
  }
  at(index: number): number {
    return this.items[index];
  }
  set(index: number, value: number): void {
    this.items[index] = value;
  }
  /** All of them, on the memory that they lie in: valid until the next one is added. */
  view(): Int32Array {
    return this.items.subarray(0, this.length);
  }
  /** Those at certain places. */
  pick(places: Int32Array): Int32Array {
    const { items } = this;
    const picked = new Int32Array(places.length);
    for (let i = 0; i < places.length; i++) picked[i] = items[places[i]];
    return picked;
  }
}
