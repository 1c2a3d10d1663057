/** While the release before is still heard, late data may be what speaks; so long it has to be silent first. */
const SILENT_MS = 45_000;

/** Senders beyond this many are not followed. */
const MOST_SENDERS = 100_000;

interface Spoken {
  version: string;
  heardMs: number;
  /** Another release that speaks too, and since when. */
  next?: { version: string; sinceMs: number };
}

/** A release that took the place of another. */
export interface Released {
  before: string;
  /** When it was first heard. */
  sinceMs: number;
}

/**
 * Which release each sender says of itself (`service.version` of the OpenTelemetry resource conventions), and when
 * another took its place. Data of both may come in any order for a while: the later one counts once the earlier is
 * silent.
 */
export class SentVersions {
  private readonly spoken = new Map<string, Spoken>();
  /** How it was before what is not kept yet. */
  private readonly former = new Map<string, Spoken>();

  /** @returns what it took the place of, once, when that is sure */
  heard(sender: string, version: string, atMs: number): Released | undefined {
    const known = this.spoken.get(sender);
    if (!known) {
      if (this.spoken.size >= MOST_SENDERS) return undefined;
      this.spoken.set(sender, { version, heardMs: atMs });
      return undefined;
    }
    if (known.version === version) {
      known.heardMs = Math.max(known.heardMs, atMs);
      // What spoke in between did not take its place.
      delete known.next;
      return undefined;
    }
    if (known.next?.version !== version) known.next = { version, sinceMs: atMs };
    if (atMs - known.heardMs < SILENT_MS) return undefined;
    const { sinceMs } = known.next;
    if (!this.former.has(sender)) this.former.set(sender, known);
    this.spoken.set(sender, { version, heardMs: atMs });
    return { before: known.version, sinceMs };
  }

  /** What was told since is kept. */
  settle(): void {
    this.former.clear();
  }

  /** What was told since the last `settle` was not kept, and is told again. */
  abandon(): void {
    for (const [sender, known] of this.former) this.spoken.set(sender, known);
    this.former.clear();
  }
}
