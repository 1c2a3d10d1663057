/** A figure of an incident's cause: what it was in a time of peace, and how far it went. */
export interface Telling {
  metric: string;
  direction: "above" | "below";
  /** Samples of the days before, without incidents. */
  peace: readonly number[];
  /** The worst that it was while the incident lasted. */
  worst: number;
}

/** A rule that could have raised an alarm sooner: its detector and the fields of its settings. */
export interface RuleIdea {
  type: "threshold" | "usual";
  what: string;
  settings: Record<string, string>;
}

/** So many of a thousand samples in peace may lie past a limit. */
const PEACE_SHARE = 0.999;
/** A limit stands so far on the way from peace to the worst. */
const ON_THE_WAY = [0.15, 0.4] as const;

/** The value that all but one in a thousand keep within; NaN of too few. */
export function edgeOfPeace(values: readonly number[], direction: "above" | "below"): number {
  const sorted = values.filter((one) => !Number.isNaN(one)).sort((a, b) => a - b);
  if (sorted.length < 100) return Number.NaN;
  const place = Math.min(sorted.length - 1, Math.floor(sorted.length * PEACE_SHARE));
  return (direction === "above" ? sorted[place] : sorted[sorted.length - 1 - place]) as number;
}

/** Three figures that mean something to whoever reads them. */
const round = (value: number) => String(Number(value.toPrecision(3)));

/**
 * Rules that could have told sooner: a fixed limit just past what the figure keeps within in peace, and what is learned as
 * usual, soon and a little later. Nothing where it went no further than it does in peace.
 */
export function soonerRules({ metric, direction, peace, worst }: Telling): RuleIdea[] {
  const edge = edgeOfPeace(peace, direction);
  const way = direction === "above" ? worst - edge : edge - worst;
  const fixed =
    Number.isNaN(edge) || !(way > 0)
      ? []
      : ON_THE_WAY.flatMap((part) =>
          [1, 3].map((samples): RuleIdea => {
            const limit = round(direction === "above" ? edge + way * part : edge - way * part);
            return {
              type: "threshold",
              what: `a limit of ${limit}, ${samples === 1 ? "at the first sample" : `mean of ${samples} samples`}`,
              settings: {
                metric,
                direction,
                warning: limit,
                samples: String(samples),
                hysteresis: round(Math.abs(way) * 0.05),
                memoryMinutes: "40",
              },
            };
          }),
        );
  const learned = [2, 5].map((minutes): RuleIdea => ({
    type: "usual",
    what: `past what is usual for ${minutes} min`,
    settings: {
      metric,
      direction,
      score: "70",
      lastsMinutes: String(minutes),
      leastPercent: "25",
      severity: "warning",
    },
  }));
  return [...fixed, ...learned];
}

/** What an idea came to when it was tried on the past. */
export interface TriedIdea {
  idea: RuleIdea;
  /** So much sooner than the first alarm of the incident, milliseconds. */
  soonerMs: number;
  /** Alarms that it would have raised besides in the days looked at. */
  others: number;
}

/** An alarm more a day is worth it only for so much time. */
const WORTH_MS = 60_000;

/** The best that was found, at most so many: sooner is better, and noise costs. */
export function bestIdeas(tried: readonly TriedIdea[], count: number, days: number): TriedIdea[] {
  const worth = ({ soonerMs, others }: TriedIdea) => soonerMs - (others / days) * WORTH_MS;
  return tried
    .filter((one) => one.soonerMs >= 30_000)
    .sort((a, b) => worth(b) - worth(a))
    .slice(0, count);
}
