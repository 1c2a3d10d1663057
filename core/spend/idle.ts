/** What a figure of something that is paid for did over the window that is looked at. */
export interface Figure {
  metric: string;
  unit: string;
  mean: number;
  highest: number;
  samples: number;
}

/** Why something is held to be idle, with what proves it. */
export interface IdleVerdict {
  reason: "unused" | "unattached" | "gone" | "unseen";
  /** The sentence that says so. */
  proof: string;
}

interface Test {
  metric: string;
  /** Idle while it never went over it. */
  most: number;
  words: (figure: Figure) => string;
}

const never = (what: string) => () => `no ${what}`;
const atMost =
  (what: string, digits = 1) =>
  (figure: Figure) =>
    `${what} at most ${Number(figure.highest.toFixed(digits))} %`;

/** By kind: all that is measured of these stays at or below its limit. The first one must be measured. */
const TESTS: readonly (readonly [kinds: RegExp, tests: readonly Test[]])[] = [
  [
    /^host\./,
    [
      { metric: "guest.cpu.used", most: 5, words: atMost("CPU") },
      { metric: "guest.net.in", most: 50_000, words: () => "traffic in under 50 kbit/s" },
      { metric: "guest.net.out", most: 50_000, words: () => "traffic out under 50 kbit/s" },
    ],
  ],
  [
    /^storage\.volume$/,
    [
      { metric: "volume.reads", most: 0.01, words: never("read") },
      { metric: "volume.writes", most: 0.01, words: never("write") },
    ],
  ],
  [/^storage\.bucket$/, [{ metric: "bucket.requests", most: 0.0005, words: never("request") }]],
  [
    /^db\./,
    [
      { metric: "database.connections", most: 0, words: never("connection") },
      { metric: "database.cpu.used", most: 5, words: atMost("CPU") },
    ],
  ],
  [/^platform\.balancer$/, [{ metric: "balancer.requests", most: 0.0005, words: never("request") }]],
  [/^app\.function$/, [{ metric: "function.calls", most: 0, words: never("call") }]],
];

/** Metrics that say whether something of a kind is used. */
export const proofMetrics = (kind: string): string[] =>
  TESTS.find(([kinds]) => kinds.test(kind))?.[1].map((one) => one.metric) ?? [];

/** Fewer samples prove nothing. */
export const LEAST_SAMPLES = 100;
/** A figure that was missing for over half of the window proves nothing either. */
export const LEAST_COVER = 0.5;

/**
 * Whether something that is paid for was idle over a window: by what its figures did, never by their absence.
 * @param cover share of the window that the first figure is there for
 */
export function idleVerdict(
  kind: string,
  figures: readonly Figure[],
  window: { days: number; cover: number },
): IdleVerdict | undefined {
  const tests = TESTS.find(([kinds]) => kinds.test(kind))?.[1];
  if (!tests || window.cover < LEAST_COVER) return undefined;
  const of = (metric: string) => figures.find((one) => one.metric === metric);
  const [first] = tests;
  if (!first || (of(first.metric)?.samples ?? 0) < LEAST_SAMPLES) return undefined;
  const words: string[] = [];
  for (const test of tests) {
    const figure = of(test.metric);
    if (!figure || figure.samples === 0) continue;
    if (figure.highest > test.most) return undefined;
    words.push(test.words(figure));
  }
  return {
    reason: "unused",
    proof: `In ${window.days} ${window.days === 1 ? "day" : "days"}: ${words.join(", ")}.`,
  };
}
