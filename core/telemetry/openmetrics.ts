/** Reading OpenMetrics 1.0 text, and the older text format 0.0.4 that it grew from: no end mark, blanks as one likes. */

export interface OpenMetric {
  /** Name of the sample with its suffix: `requests_total`, `duration_bucket`. */
  name: string;
  labels: [name: string, value: string][];
  value: number;
  /** Epoch milliseconds, where the sample says it. */
  atMs: number | undefined;
  exemplar: { labels: [string, string][]; value: number; atMs: number | undefined } | undefined;
}

export interface OpenFamily {
  name: string;
  type: "unknown" | "gauge" | "counter" | "stateset" | "info" | "histogram" | "gaugehistogram" | "summary";
  unit: string;
  help: string;
  samples: OpenMetric[];
}

export type OpenMetricsResult =
  | { ok: true; families: OpenFamily[]; complete: boolean }
  | { ok: false; problem: string };

const TYPES = ["unknown", "gauge", "counter", "stateset", "info", "histogram", "gaugehistogram", "summary"] as const;
const SUFFIXES: Readonly<Record<OpenFamily["type"], readonly string[]>> = {
  unknown: [""],
  gauge: [""],
  counter: ["_total", "_created", ""],
  stateset: [""],
  info: ["_info"],
  histogram: ["_bucket", "_count", "_sum", "_created"],
  gaugehistogram: ["_bucket", "_gcount", "_gsum"],
  summary: ["", "_count", "_sum", "_created"],
};
const NAME = /^[a-zA-Z_:][a-zA-Z0-9_:]*/;
const LABEL = /^[a-zA-Z_][a-zA-Z0-9_]*/;
const MOST_SAMPLES = 50_000;
const MOST_NAME = 1000;

const isType = (text: string): text is OpenFamily["type"] => (TYPES as readonly string[]).includes(text);
const unescapeText = (text: string) =>
  text.replaceAll(/\\(n|\\|")/g, (_, sign: string) => (sign === "n" ? "\n" : sign));

function numberOf(text: string): number | undefined {
  if (/^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/.test(text)) return Number(text);
  if (/^\+?inf(inity)?$/i.test(text)) return Number.POSITIVE_INFINITY;
  if (/^-inf(inity)?$/i.test(text)) return Number.NEGATIVE_INFINITY;
  return /^nan$/i.test(text) ? Number.NaN : undefined;
}

/** Reads `{name="value",…}` at the start of a text; what follows it comes back too. */
function readLabels(text: string): { labels: [string, string][]; rest: string } | undefined {
  const labels: [string, string][] = [];
  let place = 1;
  // The older format lets blanks stand between all of them.
  const skip = () => {
    while (text[place] === " " || text[place] === "\t") place++;
  };
  skip();
  while (text[place] !== "}") {
    const name = LABEL.exec(text.slice(place, place + MOST_NAME))?.[0];
    if (!name) return undefined;
    place += name.length;
    skip();
    if (text[place++] !== "=") return undefined;
    skip();
    if (text[place++] !== '"') return undefined;
    const start = place;
    while (text[place] !== '"') {
      if (text[place] === undefined) return undefined;
      place += text[place] === "\\" ? 2 : 1;
    }
    labels.push([name, unescapeText(text.slice(start, place))]);
    place++;
    skip();
    if (text[place] === ",") {
      place++;
      skip();
    } else if (text[place] !== "}") return undefined;
  }
  return { labels, rest: text.slice(place + 1) };
}

function readSample(line: string): OpenMetric | undefined {
  const name = NAME.exec(line)?.[0];
  if (!name) return undefined;
  let rest = line.slice(name.length);
  if (/^[ \t]+\{/.test(rest)) rest = rest.trimStart();
  let labels: [string, string][] = [];
  if (rest.startsWith("{")) {
    const read = readLabels(rest);
    if (!read) return undefined;
    labels = read.labels;
    rest = read.rest;
  }
  const [numbers = "", exemplarText] = rest.split(/ # (?=\{)/, 2);
  const [, valueText = "", atText] = /^[ \t]+(\S+)(?:[ \t]+(\S+))?\s*$/.exec(numbers) ?? [];
  const value = numberOf(valueText);
  const at = atText === undefined ? undefined : numberOf(atText);
  if (value === undefined || (atText !== undefined && at === undefined)) return undefined;
  let exemplar: OpenMetric["exemplar"];
  if (exemplarText !== undefined) {
    const read = readLabels(exemplarText);
    const [exemplarValue = "", exemplarAt] = read?.rest.trim().split(/\s+/) ?? [];
    const found = numberOf(exemplarValue);
    const seconds = exemplarAt === undefined ? undefined : numberOf(exemplarAt);
    if (!read || found === undefined || (exemplarAt !== undefined && seconds === undefined)) return undefined;
    exemplar = { labels: read.labels, value: found, atMs: seconds === undefined ? undefined : seconds * 1000 };
  }
  // OpenMetrics says seconds; the older format says milliseconds, which no second of this century reaches.
  return { name, labels, value, atMs: at === undefined ? undefined : at > 1e11 ? at : at * 1000, exemplar };
}

/** Reads a page. A line that cannot be read makes the page unreadable, and the problem names it. */
export function readOpenMetrics(text: string): OpenMetricsResult {
  const families = new Map<string, OpenFamily>();
  const family = (name: string): OpenFamily => {
    let one = families.get(name);
    if (!one) families.set(name, (one = { name, type: "unknown", unit: "", help: "", samples: [] }));
    return one;
  };
  const familyOf = (sample: string): OpenFamily => {
    for (const suffix of ["_bucket", "_gcount", "_gsum", "_count", "_sum", "_created", "_total", "_info"]) {
      if (!sample.endsWith(suffix)) continue;
      const one = families.get(sample.slice(0, -suffix.length));
      if (one && SUFFIXES[one.type].includes(suffix)) return one;
    }
    return family(sample);
  };
  let complete = false;
  let count = 0;
  const lines = text.split(/\r?\n/);
  for (let index = 0; index < lines.length; index++) {
    const line = lines[index] as string;
    if (line === "# EOF") {
      complete = true;
      break;
    }
    if (line.trim() === "") continue;
    if (line.startsWith("#")) {
      const [, what, name = "", rest = ""] = /^#[ \t]+(TYPE|HELP|UNIT)[ \t]+(\S+)(?:[ \t]+(.*))?$/.exec(line) ?? [];
      if (what === "TYPE") family(name).type = isType(rest) ? rest : "unknown";
      else if (what === "HELP") family(name).help = unescapeText(rest);
      else if (what === "UNIT") family(name).unit = rest;
      continue;
    }
    const sample = readSample(line);
    if (!sample) return { ok: false, problem: `Line ${index + 1} is not OpenMetrics: “${line.slice(0, 80)}”.` };
    if (++count > MOST_SAMPLES) return { ok: false, problem: `The page has more than ${MOST_SAMPLES} samples.` };
    familyOf(sample.name).samples.push(sample);
  }
  return { ok: true, families: [...families.values()].filter((one) => one.samples.length > 0), complete };
}

/** Units of OpenMetrics names in the code that is used here (UCUM): seconds, bytes, ratios, … */
export function ucumOf(unit: string): string {
  const known: Readonly<Record<string, string>> = {
    seconds: "s",
    milliseconds: "ms",
    bytes: "By",
    ratio: "1",
    percent: "%",
    celsius: "Cel",
    meters: "m",
    volts: "V",
    amperes: "A",
    joules: "J",
    grams: "g",
  };
  return known[unit] ?? (unit || "1");
}

/**
 * Value of a metric without labels on a page; undefined when the page cannot be read, or it is not there or not a
 * number.
 */
export function readFigure(page: string, metric: string): number | undefined {
  const read = readOpenMetrics(page);
  if (!read.ok) return undefined;
  const sample = read.families
    .flatMap((one) => one.samples)
    .find((one) => one.name === metric && one.labels.length === 0);
  return sample && Number.isFinite(sample.value) ? sample.value : undefined;
}
