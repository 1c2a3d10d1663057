import { logLevel, type LogLevel } from "./log-levels";

/** Bars across the small drawing of a pattern. */
const SPARKS = 32;

/** Records counted together: of one sender and pattern, of one severity, begun at an instant. */
export interface LogTally {
  atMs: number;
  patternId: number;
  resourceId: number;
  /** OpenTelemetry severity number. */
  severity: number;
  count: number;
}

/** Who sent records, as it is shown. */
export interface LogSender {
  componentId: number | null;
  name: string;
  kind: string | null;
}

export interface PatternCount {
  count: number;
  /** Records by thirty-second parts of the window. */
  sparks: number[];
  /** Highest severity number. */
  worst: number;
  /** Records by name of the sender. */
  senders: Map<string, number>;
}

const UNNAMED: LogSender = { componentId: null, name: "unnamed sender", kind: null };

const increase = <Key>(counts: Map<Key, number>, key: Key, by: number) => counts.set(key, (counts.get(key) ?? 0) + by);

/** Counts records of a window by time, level, sender and pattern at once, for the facets and drawings of a page. */
export class LogCounts {
  total = 0;
  /** Records by start of a bar and level. */
  readonly bars = new Map<number, Partial<Record<LogLevel, number>>>();
  readonly levels = new Map<LogLevel, number>();
  readonly senders = new Map<string, LogSender & { count: number }>();
  readonly patterns = new Map<number, PatternCount>();

  /** @param stepMs width of a bar */
  constructor(
    private readonly fromMs: number,
    private readonly toMs: number,
    private readonly stepMs: number,
    private readonly senderOf: (resourceId: number) => LogSender | undefined,
  ) {}

  add({ atMs, patternId, resourceId, severity, count }: LogTally): void {
    // A tally that began before the window lies in it from its start on.
    const at = Math.max(atMs, this.fromMs);
    const level = logLevel(severity);
    const { componentId, name, kind } = this.senderOf(resourceId) ?? UNNAMED;
    this.total += count;
    const start = Math.floor(at / this.stepMs) * this.stepMs;
    const bar = this.bars.get(start) ?? {};
    this.bars.set(start, bar);
    bar[level] = (bar[level] ?? 0) + count;
    increase(this.levels, level, count);
    const sender = this.senders.get(name) ?? { componentId, name, kind, count: 0 };
    this.senders.set(name, sender);
    sender.count += count;
    const pattern = this.pattern(patternId);
    pattern.count += count;
    pattern.worst = Math.max(pattern.worst, severity);
    const part = Math.floor(((at - this.fromMs) / Math.max(1, this.toMs - this.fromMs)) * SPARKS);
    const spark = Math.min(SPARKS - 1, Math.max(0, part));
    pattern.sparks[spark] = (pattern.sparks[spark] as number) + count;
    increase(pattern.senders, name, count);
  }

  private pattern(id: number): PatternCount {
    let pattern = this.patterns.get(id);
    if (!pattern) {
      pattern = { count: 0, sparks: Array.from({ length: SPARKS }, () => 0), worst: 0, senders: new Map() };
      this.patterns.set(id, pattern);
    }
    return pattern;
  }
}
