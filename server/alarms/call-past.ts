import { LEAST_KNOWN, type CallUsual, type Stretch } from "#core/detection/call-usual";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { CallLine, CallLines } from "./call-lines";

/** What is usual is learned from so much of the past, and anew so often; little is learned from again sooner. */
const PAST_MS = DAY_MS;
const ANEW_MS = 3 * HOUR_MS;
const SOON_MS = 10 * MINUTE_MS;
/** The last moments may be out of the ordinary already, and so may those before an alarm. */
const REST_MS = 10 * MINUTE_MS;

interface Known {
  usual: CallUsual;
  learnedAtMs: number;
}

/** What is usual of lines of calls: learned from their past, and lent by others where there is none yet. */
export class CallPast {
  private readonly known = new Map<string, Known>();
  /** What is usual of others that answer the same, for lines that are too new to have a past. */
  private readonly borrowed = new Map<string, CallUsual>();

  constructor(
    private readonly lines: Pick<CallLines, "has">,
    /** How many times as seldom as usual it is learned anew. */
    private readonly seldom: () => number,
    /** When alarms of a line stood since an instant. */
    private readonly troubles: (line: CallLine, sinceMs: number) => Stretch[] = () => [],
  ) {}

  get size(): number {
    return this.known.size;
  }

  /** Forgets lines that are not kept any more. */
  bound(): void {
    for (const map of [this.known, this.borrowed])
      for (const key of map.keys()) if (!this.lines.has(key)) map.delete(key);
  }

  /**
   * What is known of a line's own past, learned anew where that is due.
   * @param isOdd it is out of the ordinary now, which is not learned
   * @param until a tick does not wait for what can be learned in the next
   */
  usualOf(line: CallLine, isOdd: boolean, atMs: number, until: number): CallUsual | undefined {
    const known = this.known.get(line.key);
    const age = known ? atMs - known.learnedAtMs : Number.POSITIVE_INFINITY;
    const isDue = age >= this.seldom() * (known && known.usual.calls < LEAST_KNOWN ? SOON_MS : ANEW_MS);
    if (!isDue || isOdd || performance.now() > until) return known?.usual;
    const troubles = this.troubles(line, atMs - PAST_MS).map(({ fromMs, toMs }) => ({
      fromMs: fromMs - REST_MS,
      toMs,
    }));
    const usual = line.learn(atMs - PAST_MS, atMs - REST_MS, troubles);
    this.known.set(line.key, { usual, learnedAtMs: atMs });
    if (usual.calls >= LEAST_KNOWN) this.borrowed.delete(line.key);
    return usual;
  }

  has({ key }: CallLine): boolean {
    return this.known.has(key);
  }

  /** What a line is judged by: its own past, however little that is, or that of others while it has none. */
  now({ key }: CallLine): CallUsual | undefined {
    return this.borrowed.get(key) ?? this.known.get(key)?.usual;
  }

  /** What is usual of a line itself, where enough is known. */
  learned({ key }: CallLine): CallUsual | undefined {
    const usual = this.known.get(key)?.usual;
    return usual && usual.calls >= LEAST_KNOWN ? usual : undefined;
  }

  /** From now on a line without a past is judged as others are. */
  lend({ key }: CallLine, usual: CallUsual): void {
    this.borrowed.set(key, usual);
  }

  /** What is usual of one of the lines with each name. */
  byName(lines: readonly CallLine[]): Map<string, CallUsual> {
    return new Map(
      lines.flatMap((line) => {
        const usual = this.learned(line);
        return usual ? [[line.name, usual] as const] : [];
      }),
    );
  }
}
