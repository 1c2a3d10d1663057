/** What was not kept of a request, with the reasons, most frequent first. */
export class Rejected {
  private readonly reasons = new Map<string, number>();
  count = 0;

  add(reason: string, count = 1): void {
    this.count += count;
    if (this.reasons.size < 20 || this.reasons.has(reason))
      this.reasons.set(reason, (this.reasons.get(reason) ?? 0) + count);
  }

  get text(): string {
    return [...this.reasons]
      .sort((a, b) => b[1] - a[1])
      .slice(0, 3)
      .map(([reason, count]) => `${count}: ${reason}`)
      .join(" ");
  }
}
