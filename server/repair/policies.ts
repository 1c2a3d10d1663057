import type { Ruling } from "#core/repair/guardrails";
import { isInVain } from "#core/repair/proof";
import type { Proof } from "#core/repair/runbook";
import { argumentsOf, belowLevel, fits, type PolicyDefinition } from "#core/repair/policy";
import { DAY_MS, SECOND_MS, spokenDuration } from "#core/time/windows";
import { alarmCauses } from "../causes/past-facts";
import { isBroughtBack, latelyRepaired } from "../causes/repaired";
import { PersonError } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import {
  alarmsOfIncident,
  noteIncident,
  recentIncidents,
  resolveIncident,
  type IncidentCause,
  type IncidentRow,
} from "../store/incidents";
import {
  actsOfIncident,
  addAct,
  fallBack,
  linkAct,
  listPolicies,
  policyById,
  updateAct,
  type ActRow,
  type PolicyRow,
} from "../store/policies";
import { forgetOutputs } from "../store/run-outputs";
import { runbookByUid } from "../store/runbooks";
import {
  definitionOf,
  runsOfIncident,
  runsOfRunbook,
  setProof,
  watchedOf,
  watchedRuns,
  type RunRow,
} from "../store/runs";
import { listServices } from "../store/services";
import { causeFacts, type LookedAt } from "./cause-facts";
import { prepareRun } from "./prepare";
import { canBeTakenBack, type Runner } from "./runner";
import { figuresSince, proofOfRun, type CallsSince } from "./watched";
import type { RunnerWorld } from "./world";

/** Open incidents are looked at so often, clock time. */
const LOOK_EVERY_MS = 5 * SECOND_MS;
const MOST_INCIDENTS = 60;
/** Files with what steps printed are kept so long. */
const OUTPUT_DAYS = 90;
/** What is held back is looked over again so often. */
const REST_MS = 30 * SECOND_MS;
/** Detectors whose alarms go on standing after all is well: their windows are long. */
const SLOW: ReadonlySet<string> = new Set(["trend", "burn"]);
/** A cause this likely for so long, elsewhere than what was acted on, makes it vain to wait for what was done to help. */
const ELSEWHERE = 0.75;
const ELSEWHERE_MS = 60 * SECOND_MS;
/** So many runs in a row without effect count as a failure. */
const WITHOUT_EFFECT = 2;

export interface PolicyParts {
  world: RunnerWorld;
  runner: Runner;
  plannedWork: (id: number) => string | null;
  /** An incident was changed by it. */
  onIncident: (id: number) => void;
  /** How calls went since a run, so that a proof need not wait until what was before is out of every window. */
  callsSince?: CallsSince;
  /** It is known how a run turned out. */
  onProof?: (run: RunRow, proof: Proof) => void;
}

/** What something is, and since when. */
interface Since {
  key: string;
  sinceMs: number;
}

/**
 * Watches open incidents and does what policies say, within their guardrails; and proves every run, whoever started it.
 * Every decision is on record: what was done, or would have been, and what held it back.
 */
export class Policies {
  private forgotMs = Number.NEGATIVE_INFINITY;
  private lookedMs = Number.NEGATIVE_INFINITY;
  /** Until when what was held back is not looked over again, by policy, incident and component. */
  private readonly rests = new Map<string, number>();
  /** Since when the same thing has been the likeliest cause of an incident. */
  private readonly steady = new Map<number, { cause: Since; host: Since }>();

  constructor(private readonly parts: PolicyParts) {}

  /** What is due: call after each tick, outside a transaction. */
  work(nowMs: number): void {
    this.prove(nowMs);
    if (nowMs - this.lookedMs < LOOK_EVERY_MS && nowMs >= this.lookedMs) return;
    this.lookedMs = nowMs;
    const { db } = this.parts.world;
    const policies = listPolicies(db).filter((one) => one.definition.isOn);
    const open = recentIncidents(db, Number.MAX_SAFE_INTEGER).filter((one) => one.resolved_at === null);
    for (const id of this.steady.keys()) if (!open.some((one) => one.id === id)) this.steady.delete(id);
    if (open.length === 0) this.rests.clear();
    if (policies.length === 0) return;
    const uids = new Map(listServices(db).map((one) => [one.id, one.uid]));
    for (const incident of open.slice(0, MOST_INCIDENTS)) this.look(incident, policies, uids, nowMs);
  }

  /** For how long its likeliest cause has been the same, and on the same host. */
  private steadyOf(incident: IncidentRow, nowMs: number): { steadyMs: number; hostSteadyMs: number } {
    const [first] = incident.causes;
    const key = first ? `${first.componentId ?? first.line?.join("|") ?? first.serviceId}` : "";
    const row = first?.componentId ? componentById(this.parts.world.db, first.componentId) : undefined;
    const host = row ? `${row.host_id ?? row.id}` : key;
    const known = this.steady.get(incident.id);
    const since = (before: Since | undefined, now: string): Since =>
      before?.key === now && before.sinceMs <= nowMs ? before : { key: now, sinceMs: nowMs };
    const steady = { cause: since(known?.cause, key), host: since(known?.host, host) };
    this.steady.set(incident.id, steady);
    return { steadyMs: nowMs - steady.cause.sinceMs, hostSteadyMs: nowMs - steady.host.sinceMs };
  }

  private look(incident: IncidentRow, policies: readonly PolicyRow[], uids: Map<number, string>, nowMs: number): void {
    const { db } = this.parts.world;
    const steady = this.steadyOf(incident, nowMs);
    const roots = incident.causes.filter((one) => one.isRoot);
    const byAlarm = policies.filter((one) => one.definition.by === "alarm");
    if (roots.length === 0 && byAlarm.length === 0) return;
    const runs = runsOfIncident(db, incident.id);
    // One thing at a time: what was done last is proved first.
    if (runs.some((run) => run.state === "running")) return;
    for (const run of runs.filter((one) => one.proof === "watching"))
      if (!this.isOvertaken(run, roots[0], steady.steadyMs, nowMs)) return;
    const services = incident.services.flatMap((one) => uids.get(one.id) ?? []);
    const acts = actsOfIncident(db, incident.id);
    const standing = alarmsOfIncident(db, incident.id).filter((one) => one.cleared_at === null && one.quiet === null);
    const repaired = latelyRepaired(db, incident.id, nowMs);
    for (const root of roots) {
      // What is proved is not repaired again by another policy while its alarms are still to clear.
      if (isBroughtBack(repaired, root.componentId, standing)) continue;
      const looked = causeFacts(this.parts.world, incident, root, steady, services);
      if (!looked) continue;
      for (const policy of policies)
        if (
          policy.definition.by === "cause" &&
          this.consider(policy, incident, looked, { acts, runs }, nowMs) === "acted"
        )
          return;
    }
    if (byAlarm.length === 0) return;
    for (const { cause, alarmId, raisedMs } of alarmCauses(standing)) {
      if (isBroughtBack(repaired, cause.componentId, standing)) continue;
      const stoodMs = nowMs - raisedMs;
      const stood = { steadyMs: stoodMs, hostSteadyMs: stoodMs };
      const looked = causeFacts(this.parts.world, incident, cause, stood, services, alarmId);
      if (!looked) continue;
      for (const policy of byAlarm)
        if (this.consider(policy, incident, looked, { acts, runs }, nowMs) === "acted") return;
    }
  }

  /** @returns whether it acted, so that nothing else is done for this incident now */
  private consider(
    policy: PolicyRow,
    incident: IncidentRow,
    looked: LookedAt,
    past: { acts: readonly ActRow[]; runs: readonly RunRow[] },
    nowMs: number,
  ): "acted" | "passed" {
    const { definition } = policy;
    const facts = looked.wordsFor(definition);
    const verdict = fits(definition, facts);
    const target = looked.targetOf(definition.on);
    if (!verdict.fits || !target) return "passed";
    const own = past.acts.filter((act) => act.policy_id === policy.id && act.component_id === target.id);
    const quiet = definition.level === "watch" || definition.level === "propose";
    if (quiet && own.some((act) => act.did !== "held")) return "passed";
    // What was proved once is not done again, and what an attempt left is seen first.
    if (past.runs.some((run) => run.policy_id === policy.id && run.proof === "proved")) return "passed";
    const key = `${policy.id}:${incident.id}:${target.id}`;
    const restsUntil = this.rests.get(key) ?? 0;
    // Looking a run over asks the whole estate.
    if (restsUntil > nowMs && restsUntil - nowMs <= REST_MS) return "passed";
    const args = argumentsOf(definition, facts);
    const act = {
      policy_id: policy.id,
      incident_id: incident.id,
      component_id: target.id,
      at: nowMs,
      args,
      why: verdict.words,
      rulings: [] as Ruling[],
    };
    const prepared = this.prepare(policy, incident.id, target, args);
    if ("problem" in prepared || prepared.held) this.rests.set(key, nowMs + REST_MS);
    if ("problem" in prepared) {
      this.hold(own, { ...act, rulings: [{ guardrail: "before", holds: true, words: prepared.problem }] });
      return "passed";
    }
    if (prepared.held) {
      this.hold(own, { ...act, rulings: prepared.rulings }, incident.id, definition);
      return "passed";
    }
    const did = ({ watch: "would", propose: "proposed", approve: "asked", automatic: "started" } as const)[
      definition.level
    ];
    this.act(did, { ...act, rulings: prepared.rulings }, own, policy, incident.id, target, prepared);
    return quiet ? "passed" : "acted";
  }

  private prepare(policy: PolicyRow, incidentId: number, target: ComponentRow, args: Record<string, string>) {
    const { definition } = policy;
    const runbook = runbookByUid(this.parts.world.db, definition.runbook);
    if (runbook?.state !== "approved") return { problem: `The runbook ${definition.runbook} is not approved.` };
    try {
      return prepareRun(
        this.parts.world,
        {
          runbook,
          componentIds: [target.id],
          atOnce: 1,
          failedPercent: 0,
          incidentId,
          policyId: policy.id,
          args,
          by: `policy ${definition.name}`,
          limits: definition.limits,
          ...(definition.level === "approve"
            ? {
                approval: {
                  type: "approve" as const,
                  title: `Policy “${definition.name}” asks`,
                  text: `Shall ${runbook.name} run on ${target.name}?`,
                  role: definition.approver,
                  withinMinutes: 30,
                  onFailure: "stop" as const,
                  retries: 0,
                },
              }
            : {}),
        },
        this.parts.plannedWork,
      );
    } catch (error) {
      if (error instanceof PersonError) return { problem: error.message };
      throw error;
    }
  }

  private act(
    did: "would" | "proposed" | "asked" | "started",
    act: Omit<Parameters<typeof addAct>[1], "did">,
    own: readonly ActRow[],
    policy: PolicyRow,
    incidentId: number,
    target: ComponentRow,
    prepared: Extract<ReturnType<Policies["prepare"]>, { run: unknown }>,
  ): void {
    const { db, now } = this.parts.world;
    const { name, runbook } = policy.definition;
    const held = own.find((one) => one.did === "held");
    const why = held ? `${act.why}; ${heldBack(held, now())}` : act.why;
    const words = {
      would: `would have run ${runbook} on ${target.name}`,
      proposed: `proposes to run ${runbook} on ${target.name}`,
      asked: `asks whether to run ${runbook} on ${target.name}`,
      started: `runs ${runbook} on ${target.name}`,
    }[did];
    const id = db.transaction(() => {
      if (held) updateAct(db, held.id, { ...act, why, did });
      const made = held?.id ?? addAct(db, { ...act, did });
      if (did !== "would")
        noteIncident(db, incidentId, "run", `Policy “${name}” ${words}: ${why}`, `policy ${name}`, now());
      return made;
    })();
    if (did === "asked" || did === "started") linkAct(db, id, this.parts.runner.start(prepared.run));
    this.parts.onIncident(incidentId);
  }

  /** Takes down what held an act back, once for as long as the same holds it. */
  private hold(
    own: readonly ActRow[],
    act: Omit<Parameters<typeof addAct>[1], "did">,
    incidentId?: number,
    definition?: PolicyDefinition,
  ): void {
    const { db, now } = this.parts.world;
    const known = own.find((one) => one.did === "held");
    const holding = (rulings: readonly Ruling[]) =>
      rulings
        .filter((one) => one.holds)
        .map((one) => one.guardrail)
        .join();
    if (known && holding(known.rulings) === holding(act.rulings)) return;
    db.transaction(() => {
      if (known) updateAct(db, known.id, { ...act, did: "held" });
      else addAct(db, { ...act, did: "held" });
      const final = act.rulings.find((one) => one.holds && one.isFinal);
      if (final && incidentId !== undefined && definition)
        noteIncident(
          db,
          incidentId,
          "run",
          `Policy “${definition.name}” gave up: ${final.words}. Somebody has to look`,
          `policy ${definition.name}`,
          now(),
        );
    })();
    if (incidentId !== undefined) this.parts.onIncident(incidentId);
  }

  // --- proof

  /** A run has come to its end: from now on its figures are watched. */
  ended(run: RunRow): void {
    const { db, now } = this.parts.world;
    if (run.state !== "passed") {
      if (run.policy_id !== null && run.state === "failed") this.failed(run, `run ${run.id} failed`);
      return;
    }
    if (run.incident_id === null && watchedOf(db, run.id).length === 0) return;
    const watchMs = (definitionOf(db, run.id).proofSeconds ?? 120) * SECOND_MS;
    const first = proofOfRun(db, { ...run, proof_until: now() + watchMs }, now());
    setProof(db, run.id, {
      proof: first.proof === "not measured" ? "not measured" : "watching",
      words: first.words,
      atMs: now(),
      untilMs: now() + watchMs,
    });
  }

  private prove(nowMs: number): void {
    const { db, outputs } = this.parts.world;
    if (outputs !== undefined && Date.now() - this.forgotMs > DAY_MS) {
      this.forgotMs = Date.now();
      forgetOutputs(outputs, Date.now() - OUTPUT_DAYS * DAY_MS);
    }
    for (const run of watchedRuns(db)) {
      const { proof, words } = proofOfRun(db, run, nowMs, this.parts.callsSince);
      if (proof !== "watching") this.conclude(run, proof, words, nowMs);
    }
  }

  private conclude(run: RunRow, proof: Proof, words: string, nowMs: number): void {
    const { db, emit } = this.parts.world;
    db.transaction(() => {
      setProof(db, run.id, { proof, words, atMs: nowMs });
      if (run.incident_id !== null)
        noteIncident(
          db,
          run.incident_id,
          "run",
          `Run ${run.id}, “${run.runbook}”: ${proof}. ${words}`,
          "Holotaxis",
          nowMs,
        );
      if (proof === "proved" && run.incident_id !== null) this.close(run, run.incident_id, nowMs);
    })();
    if (proof === "worse") this.worse(run);
    else if (proof === "no effect") this.withoutEffect(run);
    this.parts.onProof?.(run, proof);
    emit({ topic: "run", id: run.id });
    if (run.incident_id !== null) this.parts.onIncident(run.incident_id);
  }

  /**
   * Whether what was done need not be waited for any longer: the likeliest cause has been elsewhere for a while, it is known
   * of all that showed the fault that it is no better, and no alarm of the incident cleared since. It is put down as without
   * effect.
   */
  private isOvertaken(run: RunRow, root: IncidentCause | undefined, steadyMs: number, nowMs: number): boolean {
    const { db } = this.parts.world;
    if (!root || root.probability < ELSEWHERE || steadyMs < ELSEWHERE_MS) return false;
    if (run.ended_at === null || nowMs - run.ended_at < ELSEWHERE_MS) return false;
    const hostOf = (id: number) => componentById(db, id)?.host_id ?? id;
    if (root.componentId !== null && hostOf(root.componentId) === hostOf(run.component_id)) return false;
    const endedMs = run.ended_at;
    const cleared = alarmsOfIncident(db, run.incident_id ?? 0).some((one) => (one.cleared_at ?? 0) > endedMs);
    if (cleared || !isInVain(figuresSince(db, run, nowMs, this.parts.callsSince))) return false;
    const { proof, words } = proofOfRun(db, { ...run, proof_until: nowMs }, nowMs, this.parts.callsSince);
    if (proof !== "no effect") return false;
    this.conclude(run, proof, `${words} By now the likeliest cause is ${root.name}.`, nowMs);
    return true;
  }

  /** A proved repair resolves its incident, where its policy says so and nothing but slow alarms stands. */
  private close(run: RunRow, incidentId: number, nowMs: number): void {
    const { db } = this.parts.world;
    const policy = run.policy_id === null ? undefined : policyById(db, run.policy_id);
    if (!policy?.definition.closes) return;
    const standing = alarmsOfIncident(db, incidentId).filter(
      (one) => one.cleared_at === null && !SLOW.has(one.detector),
    );
    if (standing.length > 0) return;
    resolveIncident(db, incidentId, nowMs);
    noteIncident(
      db,
      incidentId,
      "resolved",
      `Resolved: run ${run.id} is proved`,
      `policy ${policy.definition.name}`,
      nowMs,
    );
  }

  private worse(run: RunRow): void {
    if (canBeTakenBack(this.parts.world, run)) this.parts.runner.rollBack(run.id, "Holotaxis");
    if (run.policy_id !== null) this.failed(run, `run ${run.id} made it worse`);
  }

  private withoutEffect(run: RunRow): void {
    if (run.policy_id === null) return;
    const last = runsOfRunbook(this.parts.world.db, run.runbook_id, 20)
      .filter((one) => one.policy_id === run.policy_id && one.proof !== null)
      .slice(0, WITHOUT_EFFECT);
    if (last.length === WITHOUT_EFFECT && last.every((one) => one.proof === "no effect"))
      this.failed(run, `${WITHOUT_EFFECT} runs in a row had no effect`);
  }

  /** Trust falls back a step. */
  private failed(run: RunRow, why: string): void {
    const { db, now } = this.parts.world;
    const policy = run.policy_id === null ? undefined : policyById(db, run.policy_id);
    if (!policy || policy.definition.level === "watch") return;
    const level = belowLevel(policy.definition.level);
    db.transaction(() => {
      fallBack(db, policy, level, why, now());
      if (run.incident_id !== null)
        noteIncident(
          db,
          run.incident_id,
          "run",
          `Policy “${policy.definition.name}” is trusted less: ${level} from now on, because ${why}`,
          "Holotaxis",
          now(),
        );
    })();
  }
}

/** For how long the same held an act back, and what that was. */
const heldBack = ({ at, rulings }: Pick<ActRow, "at" | "rulings">, nowMs: number): string =>
  `held back for ${spokenDuration(nowMs - at)} before, because ${rulings.flatMap((one) => (one.holds ? one.words : [])).join("; ")}`;
