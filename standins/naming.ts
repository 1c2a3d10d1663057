import type { Drill } from "./seen/estate";
import type { Scenario } from "./scenario/schema";

/** What somebody named as a cause. */
interface Named {
  host?: string;
  process?: string;
  between?: [string, string];
}

const plain = (text: string) => text.trim().toLowerCase().replaceAll(/\s+/g, " ");

/** The site that an id, a name or the beginning of a name stands for. */
function siteOf(scenario: Scenario, text: string): string | undefined {
  const wanted = plain(text);
  if (!wanted) return undefined;
  return scenario.sites.find((site) => site.id === wanted || plain(site.name).startsWith(wanted))?.id;
}

/** Reads “process @ host”, “host”, or two sites with a dash, an “and” or a “to” between them. */
function read(scenario: Scenario, text: string): Named {
  const [left, right] = text.split("@").map(plain);
  const short = (host: string) => host.split(".")[0] ?? host;
  if (left !== undefined && right !== undefined) return { process: left, host: short(right) };
  const parts = plain(text)
    .replace(/^(the )?(line|link) (between |from )?/, "")
    .split(/ and | to |\s*[–—]\s*| - /);
  const sites = parts.map((part) => siteOf(scenario, part));
  if (sites.length === 2 && sites[0] && sites[1]) return { between: [sites[0], sites[1]] };
  return { host: short(plain(text)) };
}

/**
 * Whether what somebody named is a root of a drill.
 *
 * @returns its place among the roots, -1 where it is none, and how many roots there are
 */
export function rootNamed(scenario: Scenario, drill: Drill, text: string): { root: number; roots: number } {
  const { roots } = drill.answer;
  const named = read(scenario, text);
  const root = roots.findIndex((accepted) =>
    accepted.some((one) =>
      one.between
        ? named.between !== undefined && one.between.every((site) => named.between?.includes(site))
        : one.host === named.host && (one.process ?? "") === (named.process ?? ""),
    ),
  );
  return { root, roots: roots.length };
}
