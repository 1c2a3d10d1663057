import type { LiveEvent } from "../events";

/** What is wrong with Holotaxis itself, said on every page once. */
export class Problems {
  private standing: string | null = null;

  constructor(private readonly emit: (event: LiveEvent) => void) {}

  get current(): string | null {
    return this.standing;
  }

  report(message: string): void {
    if (message === this.standing) return;
    this.standing = message;
    this.emit({ topic: "problem", message });
  }

  over(): void {
    if (this.standing === null) return;
    this.standing = null;
    this.emit({ topic: "problem", message: null });
  }
}
