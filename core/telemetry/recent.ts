/**
 * A table of what came lately, in bounded room: when it is full, what came before the last filling is dropped at once. It
 * holds at least `least` and at most twice as many.
 */
export class Recent<Value> {
  private now = new Map<string, Value>();
  private before = new Map<string, Value>();

  constructor(private readonly least: number) {}

  get(key: string): Value | undefined {
    return this.now.get(key) ?? this.before.get(key);
  }

  set(key: string, value: Value): void {
    if (this.now.size >= this.least) {
      this.before = this.now;
      this.now = new Map();
    }
    this.now.set(key, value);
  }

  delete(key: string): void {
    this.now.delete(key);
    this.before.delete(key);
  }
}
