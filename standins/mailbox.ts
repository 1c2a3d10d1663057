/** A message as the mail server took it. */
export interface Kept {
  number: number;
  atMs: number;
  from: string;
  to: string[];
  raw: Buffer;
  messageId: string;
}

const MOST_KEPT = 300;

/**
 * What arrived at the mail server, the newest first. A message whose Message-ID it has is not kept twice: whoever was
 * cut off before our answer sends it again.
 */
export class Mailbox {
  private readonly kept: Kept[] = [];
  private readonly known = new Set<string>();
  private count = 0;

  constructor(private readonly now: () => number) {}

  take({ from, to, raw }: Pick<Kept, "from" | "to" | "raw">): { number: number; isNew: boolean } {
    const head =
      raw
        .subarray(0, 65_536)
        .toString("latin1")
        .split(/\r?\n\r?\n/)[0] ?? "";
    const messageId = /^Message-ID:\s*(<[^>\s]+>)/im.exec(head)?.[1] ?? "";
    const key = `${messageId} ${to.join(",")}`;
    const before = this.kept.find((one) => `${one.messageId} ${one.to.join(",")}` === key);
    if (messageId && this.known.has(key)) return { number: before?.number ?? 0, isNew: false };
    this.known.add(key);
    this.count++;
    this.kept.unshift({ number: this.count, atMs: this.now(), from, to, raw, messageId });
    this.kept.length = Math.min(this.kept.length, MOST_KEPT);
    return { number: this.count, isNew: true };
  }

  list(): readonly Kept[] {
    return this.kept;
  }

  find(number: number): Kept | undefined {
    return this.kept.find((one) => one.number === number);
  }
}

/** A call as the webhook receiver took it. */
export interface Call {
  number: number;
  atMs: number;
  path: string;
  headers: Record<string, string>;
  body: string;
}

/** What arrived at the webhook receiver, the newest first. */
export class CallBox {
  private readonly kept: Call[] = [];
  private count = 0;

  constructor(private readonly now: () => number) {}

  take(call: Pick<Call, "path" | "headers" | "body">): number {
    this.kept.unshift({ number: ++this.count, atMs: this.now(), ...call });
    this.kept.length = Math.min(this.kept.length, MOST_KEPT);
    return this.count;
  }

  list(): readonly Call[] {
    return this.kept;
  }
}
