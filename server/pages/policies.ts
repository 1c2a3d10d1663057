import { fits, policySchema, summaryOfTrials, type PolicyDefinition, type Trial } from "#core/repair/policy";
import { DAY_MS } from "#core/time/windows";
import { allKinds } from "#core/catalogue/kinds";
import { alarmCauses, pastCauseFacts } from "../causes/past-facts";
import type { Db } from "../store/database";
import { alarmById } from "../store/alarms";
import { componentById, partsOfHost, sitesKnown } from "../store/estate";
import { alarmsOfIncident, incidentById, incidentsIn } from "../store/incidents";
import { actsOfIncident, actsOfPolicy, listPolicies, policyById, readHalt, type ActRow } from "../store/policies";
import { listRunbooks, runbookById, runbookByUid } from "../store/runbooks";
import { runById, runsOfIncident, watchedOf } from "../store/runs";
import { listServices } from "../store/services";

const TRIED_DAYS = 30;
const MOST_TRIED = 500;
/** Of one incident so many alarms are looked at. */
const MOST_ALARMS = 100;
const MOST_ACTS = 200;

/** What came of an act: how its run was proved, or for what was only watched, whether people did the same. */
function outcomeOf(db: Db, act: ActRow): { words: string; right: boolean | null } {
  const run = act.run_id === null ? undefined : runById(db, act.run_id);
  if (run)
    return {
      words: run.proof ?? run.state,
      right: run.proof === "proved" ? true : run.proof === "no effect" || run.proof === "worse" ? false : null,
    };
  const agreed = agreedWith(db, act.incident_id, act.component_id, policyById(db, act.policy_id)?.definition.runbook);
  return {
    words: agreed === null ? "nobody did anything like it" : agreed ? "people did the same" : "people did otherwise",
    right: agreed,
  };
}

/** Whether people did or said the same: ran this runbook there, or confirmed the cause. Null where they did nothing. */
function agreedWith(db: Db, incidentId: number, componentId: number, runbookUid: string | undefined): boolean | null {
  const hostOf = (id: number) => componentById(db, id)?.host_id ?? id;
  const runbook = runbookUid === undefined ? undefined : runbookByUid(db, runbookUid);
  const byHand = runsOfIncident(db, incidentId).filter((run) => run.policy_id === null && run.state === "passed");
  if (byHand.length > 0)
    return byHand.some((run) => run.runbook_id === runbook?.id && hostOf(run.component_id) === hostOf(componentId));
  const confirmed = incidentById(db, incidentId)?.confirmed;
  if (!confirmed) return null;
  return confirmed.componentId !== null && hostOf(confirmed.componentId) === hostOf(componentId);
}

export function policiesPage(db: Db) {
  return {
    halt: readHalt(db),
    policies: listPolicies(db).map((policy) => {
      const acts = actsOfPolicy(db, policy.id, MOST_ACTS);
      const outcomes = acts.filter((act) => act.did !== "held").map((act) => outcomeOf(db, act).right);
      return {
        id: policy.id,
        ...policy.definition,
        runbookName: runbookByUid(db, policy.definition.runbook)?.name ?? policy.definition.runbook,
        fellBackAt: policy.fell_back_at,
        fellBackWhy: policy.fell_back_why,
        acts: acts.filter((act) => act.did !== "held").length,
        held: acts.filter((act) => act.did === "held").length,
        right: outcomes.filter((one) => one === true).length,
        wrong: outcomes.filter((one) => one === false).length,
        lastAt: acts[0]?.at ?? null,
      };
    }),
  };
}

/** The policy that would have started a run which people started by hand; undefined where there is no such run. */
function policyFromRun(db: Db, runId: number): PolicyDefinition | undefined {
  const run = runById(db, runId);
  const runbook = run && runbookById(db, run.runbook_id);
  const target = run && componentById(db, run.component_id);
  if (!run || !runbook || !target) return undefined;
  const alarms = watchedOf(db, runId).flatMap((one) =>
    one.alarmId === null ? [] : (alarmById(db, one.alarmId) ?? []),
  );
  const processes = partsOfHost(db, target.host_id ?? target.id, run.started_at).flatMap((part) => part.process ?? []);
  const said = (value: string) => {
    if (value === target.process || processes.includes(value)) return "{{cause.process}}";
    if (alarms.some((alarm) => alarm.qualifier !== "" && alarm.qualifier === value)) return "{{cause.instance}}";
    return alarms.some((alarm) => alarm.subject === value) ? "{{cause.subject}}" : value;
  };
  const read = policySchema.safeParse({
    name: `${runbook.name} as in run ${runId}`,
    causeKinds: [target.kind],
    alarms: [...new Set(alarms.map((alarm) => alarm.metric))],
    runbook: runbook.uid,
    on: target.host_id === null ? "host" : "cause",
    countsHost: target.host_id === null,
    args: Object.fromEntries(
      Object.entries(JSON.parse(run.args) as Record<string, string>).map(([name, value]) => [name, said(value)]),
    ),
  });
  return read.success ? read.data : undefined;
}

export function policyPage(db: Db, { id, runId }: { id: number | null; runId?: number | undefined }) {
  const policy = id === null ? undefined : policyById(db, id);
  if (id !== null && !policy) return null;
  return {
    id,
    policy: policy?.definition ?? null,
    draft: runId === undefined ? null : (policyFromRun(db, runId) ?? null),
    fellBackAt: policy?.fell_back_at ?? null,
    fellBackWhy: policy?.fell_back_why ?? "",
    runbooks: listRunbooks(db)
      .filter((one) => one.state === "approved")
      .map(({ uid, name, definition }) => ({
        uid,
        name,
        parameters: definition.parameters.map(({ name: parameter, label }) => ({ name: parameter, label })),
      })),
    services: listServices(db).map(({ uid, name }) => ({ uid, name })),
    sites: sitesKnown(db),
    kinds: [...allKinds()].map(([kind, info]) => ({ kind, label: info.label })),
    acts: policy
      ? actsOfPolicy(db, policy.id, 50).map((act) => ({
          ...act,
          outcome: act.did === "held" ? null : outcomeOf(db, act).words,
        }))
      : [],
  };
}

/** When a policy would have acted on the incidents of the last 30 days, on what, and whether people then did the same. */
export function policyTried(db: Db, { policy, nowMs }: { policy: PolicyDefinition; nowMs: number }) {
  const incidents = incidentsIn(db, nowMs - TRIED_DAYS * DAY_MS, nowMs, MOST_TRIED);
  const uids = new Map(listServices(db).map((one) => [one.id, one.uid]));
  const would: (Trial & { title: string; openedAt: number; words: string })[] = [];
  for (const incident of incidents) {
    const services = incident.services.flatMap((one) => uids.get(one.id) ?? []);
    const looked =
      policy.by === "alarm"
        ? alarmCauses(alarmsOfIncident(db, incident.id).slice(0, MOST_ALARMS))
        : incident.causes.filter((one) => one.isRoot).map((cause) => ({ cause, alarmId: undefined }));
    for (const { cause: root, alarmId } of looked) {
      const facts = pastCauseFacts(db, incident, root, policy, services, alarmId);
      if (!facts) continue;
      const verdict = fits({ ...policy, isOn: true }, facts);
      if (!verdict.fits) continue;
      would.push({
        incidentId: incident.id,
        title: incident.title,
        openedAt: incident.opened_at,
        componentName: root.name,
        words: verdict.words,
        agreed: root.componentId === null ? null : agreedWith(db, incident.id, root.componentId, policy.runbook),
      });
    }
  }
  return { of: incidents.length, ...summaryOfTrials(would), would: would.slice(0, 30) };
}

/** What policies did, proposed or were held back from, for an incident. */
export const actsForIncident = (db: Db, incidentId: number) =>
  actsOfIncident(db, incidentId).map((act) => ({
    ...act,
    runbook: runbookByUid(db, policyById(db, act.policy_id)?.definition.runbook ?? ""),
  }));
