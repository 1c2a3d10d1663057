// Checks from the record alone that every act of a policy and of a chore was within its guardrails: node scripts/check-acts.mjs DATA-FOLDER
// It shares no code with what it checks. Ends with 1 and a line for each breach.
import { existsSync } from "node:fs";
import { join } from "node:path";
import Database from "better-sqlite3";

const folder = process.argv[2];
const file = folder && join(folder, "holotaxis.db");
if (!file || !existsSync(file)) {
  process.stderr.write("Say in which folder the data are: node scripts/check-acts.mjs DATA-FOLDER\n");
  process.exit(2);
}
const db = new Database(file, { readonly: true });
const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const runs = db
  .prepare(
    `SELECT r.id, r.policy_id, r.runbook_id, r.component_id, r.incident_id, r.started_at, r.ended_at, r.chore_id,
       coalesce(p.name, c.name) AS policy, coalesce(p.definition, c.definition) AS definition
     FROM run r LEFT JOIN policy p ON p.id = r.policy_id LEFT JOIN chore c ON c.id = r.chore_id ORDER BY r.started_at, r.id`,
  )
  .all();
const targets = new Map();
for (const { run_id, component_id } of db.prepare("SELECT run_id, component_id FROM run_target").all())
  targets.set(run_id, [...(targets.get(run_id) ?? []), component_id]);
const servicesAt = db.prepare(
  "SELECT service_id AS id FROM member WHERE component_id = ? AND valid_from <= ? AND (valid_to IS NULL OR valid_to > ?)",
);
const firstSeen = db.prepare(
  "SELECT min(c.valid_from, coalesce(h.valid_from, c.valid_from)) AS at FROM component c LEFT JOIN component h ON h.id = c.host_id WHERE c.id = ?",
);
const work = db.prepare(
  "SELECT ref, things FROM ticket WHERE from_at <= ? AND to_at > ? AND to_at - from_at <= 43200000",
);
const nameOf = db.prepare(
  "SELECT c.name, h.name AS host, c.process FROM component c LEFT JOIN component h ON h.id = c.host_id WHERE c.id = ?",
);
const breaches = [];
const acts = runs.filter((run) => run.policy_id !== null || run.chore_id !== null);
for (const act of acts) {
  const { limits } = JSON.parse(act.definition);
  const say = (what) => breaches.push(`run ${act.id} of “${act.policy}”: ${what}`);
  const services = servicesAt.all(act.component_id, act.started_at, act.started_at).map((one) => one.id);
  const earlier = acts.filter(
    (one) =>
      one.id !== act.id &&
      one.started_at <= act.started_at &&
      one.id < act.id &&
      one.started_at > act.started_at - HOUR,
  );
  const count = (what, most, fits) => {
    const before = earlier.filter(fits).length;
    if (before >= most) say(`${before + 1} acts within an hour ${what}, ${most} are allowed`);
  };
  // Upkeep and repair do not use up each other's acts in the estate.
  const isAlike = (one) => (one.chore_id === null) === (act.chore_id === null);
  count("of its runbook", limits.mostAnHour.runbook, (one) => one.runbook_id === act.runbook_id && isAlike(one));
  count("on its component", limits.mostAnHour.component, (one) => one.component_id === act.component_id);
  count("in the estate", limits.mostAnHour.estate, isAlike);
  for (const service of services)
    count(`on service ${service}`, limits.mostAnHour.service, (one) =>
      servicesAt.all(one.component_id, act.started_at, act.started_at).some((other) => other.id === service),
    );
  const last = runs.findLast(
    (one) => one.id < act.id && one.component_id === act.component_id && one.runbook_id === act.runbook_id,
  );
  if (last && act.started_at - last.started_at < limits.coolDownMinutes * MINUTE) say("within the cool-down");
  const tries = acts.filter(
    (one) => one.id < act.id && one.policy_id === act.policy_id && one.incident_id === act.incident_id,
  ).length;
  if (act.incident_id !== null && tries >= limits.tries) say(`try ${tries + 1} of ${limits.tries}`);
  if (act.started_at - firstSeen.get(act.component_id).at < limits.knownHours * HOUR)
    say("its target was not known long enough");
  const own = targets.get(act.id) ?? [];
  for (const other of runs)
    if (
      other.id < act.id &&
      (other.ended_at === null || other.ended_at > act.started_at) &&
      (targets.get(other.id) ?? []).some((id) => own.includes(id))
    )
      say(`run ${other.id} was under way on the same parts`);
  const { name, host } = nameOf.get(act.component_id);
  for (const { ref, things } of work.all(act.started_at, act.started_at))
    if (JSON.parse(things).some((thing) => [name, host].some((one) => one?.toLowerCase() === thing.toLowerCase())))
      say(`planned work ${ref} was under way`);
}
for (const line of breaches) process.stdout.write(`${line}\n`);
process.stdout.write(`${acts.length} acts, ${breaches.length} outside their guardrails\n`);
process.exit(breaches.length ? 1 : 0);
