import type { Baselines } from "./again";
import { accuracyAt, reliability, type CaseScore, type Row, type Said, type Thing } from "./score";

export interface CaseRecord {
  scenario: string;
  seed: number;
  load: number;
  id: string;
  group: string;
  startedAtMs: number;
  said: Said;
  truth: { roots: Thing[][]; services: Said["services"]; incidents: number };
  score: CaseScore;
  /** Ranks by plainer methods, for comparison. */
  baselines?: Baselines;
  /** Whether its repair over SSH ended it; undefined where nothing was wrong. */
  repaired?: boolean | undefined;
  /** Until nothing stood in alarm any more; undefined where that took too long to wait for. */
  calmAfterMs?: number | undefined;
}

export interface Results {
  rows: Row[];
  cases: CaseRecord[];
  quiet: { scenario: string; seed: number; load: number; hours: number; incidents: number }[];
}

/** Grown estates are looked at together: each has few drills, and none is like the next. */
export const familyOf = (scenario: string): string => scenario.replace(/^grown-\d+$/, "grown");

const nameOf = (thing: Thing | undefined): string =>
  thing === undefined
    ? "–"
    : thing.between
      ? `line ${thing.between.join("–")}`
      : thing.process
        ? `${thing.process} @ ${thing.host}`
        : (thing.host ?? "a service");

const meets = (row: Row): string =>
  row.target === undefined
    ? ""
    : (row.better === "higher" ? row.value >= row.target : row.value <= row.target)
      ? "met"
      : "missed";

const short = (list: readonly string[]) => (list.length ? list.join(", ") : "–");

function table(head: readonly string[], rows: readonly (readonly string[])[]): string {
  return [
    `| ${head.join(" | ")} |`,
    `|${head.map(() => "---").join("|")}|`,
    ...rows.map((row) => `| ${row.map((cell) => cell.replaceAll("|", "\\|")).join(" | ")} |`),
  ].join("\n");
}

function caseRow({ scenario, id, seed, load, score, said, truth, repaired }: CaseRecord): string[] {
  const first = said.incidents[0]?.suspects[0];
  const isGrown = familyOf(scenario) !== scenario;
  return [
    id,
    isGrown ? `${scenario.slice(6)}, ${seed}/${load}` : `${seed}/${load}`,
    score.noticedAfterMs === undefined ? "not noticed" : `${Math.round(score.noticedAfterMs / 1000)} s`,
    truth.roots.map((accepted) => nameOf(accepted[0])).join(" and ") || "nothing is wrong",
    nameOf(first),
    score.hostRanks.join(" ") || "–",
    score.elementRanks.join(" ") || "–",
    `${score.alarms} / ${score.incidents}`,
    short(truth.services.down) === "–"
      ? short(truth.services.degraded)
      : `down: ${short(truth.services.down)}; ${short(truth.services.degraded)}`,
    repaired === undefined ? "–" : repaired ? "yes" : "no",
  ];
}

/** Which method names the cause how often, on the cases that were worked out by all of them. */
function methodsTable(faults: readonly CaseRecord[]): string[] {
  const compared = faults.flatMap((one) => (one.baselines ? [{ ...one, baselines: one.baselines }] : []));
  if (!compared.length) return [];
  const methods: [string, { hosts: number[]; elements: number[] }[]][] = [
    [
      "sets of roots by noisy-or",
      compared.map(({ score }) => ({ hosts: score.hostRanks, elements: score.elementRanks })),
    ],
    ...(["personalised PageRank", "points", "order of onsets"] as const).map(
      (name): [string, { hosts: number[]; elements: number[] }[]] => [name, compared.map((one) => one.baselines[name])],
    ),
  ];
  const at = (list: { hosts: number[]; elements: number[] }[], by: "hosts" | "elements", k: number) =>
    accuracyAt(
      list.map((one) => one[by]),
      k,
    ).toFixed(2);
  return [
    `The same evidence by four methods (${compared.length} cases):`,
    "",
    table(
      ["method", "host AC@1", "host AC@3", "element AC@1", "element AC@3"],
      methods.map(([name, list]) => [
        name,
        at(list, "hosts", 1),
        at(list, "hosts", 3),
        at(list, "elements", 1),
        at(list, "elements", 3),
      ]),
    ),
    "",
  ];
}

function reliabilityTable(faults: readonly CaseRecord[]): string[] {
  const bands = reliability(faults.map((one) => one.score));
  if (!bands.length) return [];
  return [
    "How often the first cause is right, by the probability that was said:",
    "",
    table(
      ["said", "cases", "mean said", "right"],
      bands.map((one) => [
        `${Math.round(one.from * 100)} to ${Math.round(one.from * 100 + 20)} %`,
        String(one.count),
        one.said.toFixed(2),
        one.right.toFixed(2),
      ]),
    ),
    "",
  ];
}

/** The page about the last runs: figures, what each group is like, and every case with what was said and what was true. */
export function verdictsPage({ rows, cases, quiet }: Results): string {
  const parts = [
    "# Verdicts, measured",
    "",
    "Written by `npm run drills` (see [scenario.md](scenario.md)) from `bench/drills.json`: every drill is run against the real server",
    "at pace, over real sockets; the server reads nothing of the scenario. What is true is worked out by the stand-in world itself: with the",
    "fault and without it, minute by minute. A service that is shown critical counts as said to be down, anything less as degraded.",
    "",
  ];
  for (const scenario of [...new Set(cases.map((one) => familyOf(one.scenario)))].sort()) {
    const own = cases.filter((one) => familyOf(one.scenario) === scenario);
    const runs = new Set(own.map((one) => `${one.scenario} ${one.seed}/${one.load}`));
    const drills = new Set(own.map((one) => (scenario === one.scenario ? one.id : `${one.scenario} ${one.id}`)));
    parts.push(
      `## ${scenario}: ${own.length} cases of ${drills.size} drills, ${runs.size} ${runs.size === 1 ? "run" : "runs"}`,
      "",
      table(
        ["figure", "value", "asked", ""],
        rows
          .filter((row) => row.name.startsWith(`${scenario}: `))
          .map((row) => [
            row.name.slice(scenario.length + 2),
            `${row.value} ${row.unit === "share" ? "" : row.unit}`.trim(),
            row.target === undefined ? "" : `${row.better === "higher" ? "≥" : "≤"} ${row.target}`,
            meets(row),
          ]),
      ),
      "",
    );
    const faults = own.filter((one) => one.score.hostRanks.length);
    parts.push(...methodsTable(faults), ...reliabilityTable(faults));
    parts.push(
      "By group:",
      "",
      table(
        ["group", "cases", "noticed", "AC@1 by host", "AC@1 by element"],
        [...new Set(faults.map((one) => one.group))].map((group) => {
          const of = faults.filter((one) => one.group === group);
          return [
            group,
            String(of.length),
            `${of.filter((one) => one.score.incidents > 0).length}`,
            accuracyAt(
              of.map((one) => one.score.hostRanks),
              1,
            ).toFixed(2),
            accuracyAt(
              of.map((one) => one.score.elementRanks),
              1,
            ).toFixed(2),
          ];
        }),
      ),
      "",
      "Case by case (places from 1; 0 where it was not named at all):",
      "",
      table(
        [
          "drill",
          scenario === "grown" ? "estate, seed/load" : "seed/load",
          "noticed after",
          "true",
          "said first",
          "host",
          "element",
          "alarms / incidents",
          "services hurt",
          "repaired",
        ],
        [...own]
          .sort(
            (a, b) =>
              a.id.localeCompare(b.id) || a.scenario.localeCompare(b.scenario) || a.seed - b.seed || a.load - b.load,
          )
          .map(caseRow),
      ),
      "",
    );
    const still = quiet.filter((one) => familyOf(one.scenario) === scenario);
    if (still.length)
      parts.push(
        `Without a drill: ${still.reduce((sum, one) => sum + one.incidents, 0)} incidents in ${still.reduce((sum, one) => sum + one.hours, 0).toFixed(1)} hours.`,
        "",
      );
  }
  return parts.join("\n");
}
