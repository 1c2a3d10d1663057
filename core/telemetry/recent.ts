/**
 * A table of what came lately, in bounded room: when it is full, what came before the last filling is dropped at once.
 * It holds at least `least` and at most twice as many; where entries are given weights, so much weight.
 */
export class Recent<Value> {
  private now = new Map<string, Value>();
  private before = new Map<string, Value>();

  private weight = 0;

  constructor(private readonly least: number) {}

  get(key: string): Value | undefined {
    return this.now.get(key) ?? this.before.get(key);
  }

  set(key: string, value: Value, weight = 1): void {
    if (this.weight + weight > this.least) {
      this.before = this.now;
      this.now = new Map();
      this.weight = 0;
    }
    this.weight += weight;
    this.now.set(key, value);
  }

  delete(key: string): void {
    this.now.delete(key);
    this.before.delete(key);
  }
}
