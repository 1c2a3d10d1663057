import { kindMatches } from "#core/catalogue/kinds";
import type { Parameter } from "#core/repair/runbook";
import { insideOf, type Step } from "#core/repair/steps/registry";
import type { Db } from "../../store/database";
import { partsOfHost, type ComponentRow } from "../../store/estate";
import { approvedRunbooks } from "../../store/runbooks";
import type { RunRow } from "../../store/runs";

export interface RepairScene {
  /** What is taken for the cause first, then the host that carries it. */
  targets: readonly (ComponentRow | undefined)[];
  /** The two sites of a line that is the cause. */
  line: [string, string] | null;
  /** Metric of the leading alarm. */
  metric: string;
  /** The leading alarm, then the others that stand. */
  alarms: readonly { metric: string; qualifier: string; subject: string }[];
  /** Kinds of the changes just before on the cause, its host or its parts. */
  changes: ReadonlySet<string>;
  /** The process that took most of the memory. */
  leading: string | undefined;
  /** The host does not respond: only what acts beside it helps. */
  isSilent: boolean;
  /** What was run for it. */
  runs: readonly Pick<RunRow, "runbook_id" | "component_id" | "state" | "proof" | "started_at">[];
}

const MOST_OFFERS = 8;

/** What a run that did not help says of running it again. */
const NO_HELP: ReadonlySet<string> = new Set(["no effect", "worse"]);

/**
 * Runbooks for an incident: those that fit what is in alarm first, among them what was tried there without help last, each
 * with its target and parameters filled in.
 */
export function repairOffers(db: Db, scene: RepairScene) {
  const targets = scene.targets.filter((one) => one !== undefined);
  return approvedRunbooks(db)
    .flatMap((runbook) => {
      const { definition } = runbook;
      const target = targets.find((one) => definition.kinds.some((pattern) => kindMatches(pattern, one.kind)));
      if (!target || (scene.isSilent && !actsBeside(definition.steps))) return [];
      const checked = checks(definition.steps, scene.metric);
      const fitting = (definition.fits ?? []).some((pattern) =>
        scene.alarms.some(({ metric }) => kindMatches(pattern, metric)),
      );
      // What it is a repair of says which mount point, port or volume is meant.
      const about =
        scene.alarms.find(({ metric }) => (definition.fits ?? []).some((one) => kindMatches(one, metric))) ??
        scene.alarms[0];
      const last = scene.runs.findLast((run) => run.runbook_id === runbook.id && run.component_id === target.id);
      const outcome = last?.state === "failed" ? "failed" : (last?.proof ?? "");
      return [
        {
          id: runbook.id,
          name: runbook.name,
          purpose: definition.purpose,
          targetId: target.id,
          fits: (checked || fitting) && suits(definition.after, scene.changes),
          /** How it ended when it was run there before, where that was no help. */
          tried: last && (outcome === "failed" || NO_HELP.has(outcome)) ? { atMs: last.started_at, outcome } : null,
          rank:
            Number(checked) * 2 + Number(fitting) + (definition.after && scene.changes.has(definition.after) ? 4 : 0),
          args: Object.fromEntries(
            definition.parameters.map((parameter) => [parameter.name, offered(db, parameter, target, scene, about)]),
          ),
        },
      ];
    })
    .sort(
      (a, b) =>
        Number(b.fits) - Number(a.fits) ||
        Number(a.tried !== null) - Number(b.tried !== null) ||
        b.rank - a.rank ||
        a.name.localeCompare(b.name),
    )
    .slice(0, MOST_OFFERS);
}

/** What takes a change back is for what was changed. */
const suits = (after: string | undefined, changes: ReadonlySet<string>): boolean =>
  after === undefined || changes.has(after);

const flat = (steps: readonly Step[]): Step[] =>
  steps.flatMap((step) => [step, ...insideOf(step).flatMap((one) => flat(one.steps))]);
const checks = (steps: readonly Step[], metric: string) =>
  flat(steps).some((step) => step.type === "check" && step.metric === metric);
const actsBeside = (steps: readonly Step[]) =>
  flat(steps).some((step) => step.type === "command" && (step.at ?? "target") !== "target");

/** What a parameter is filled in with. */
function offered(
  db: Db,
  parameter: Parameter,
  target: ComponentRow,
  scene: RepairScene,
  about: RepairScene["alarms"][number] | undefined,
): string {
  const processes = () =>
    partsOfHost(db, target.host_id ?? target.id, Number.MAX_SAFE_INTEGER).flatMap((part) => part.process ?? []);
  switch (parameter.offer) {
    case "leading-process":
    case "cause-process": {
      const own = target.process ?? scene.targets[0]?.process;
      if (own) return own;
      const running = processes();
      return scene.leading && running.includes(scene.leading) ? scene.leading : (running[0] ?? "");
    }
    case "instance":
      return about?.qualifier || about?.subject || "";
    case "other-site":
      return scene.line?.find((site) => site !== target.site) ?? "";
    case "host-name":
      return target.name;
    default:
      return parameter.name === "mount" && about?.qualifier.startsWith("/") ? about.qualifier : parameter.usual || "";
  }
}
