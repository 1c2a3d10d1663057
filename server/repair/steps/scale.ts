import { copiesWanted, type ScaleStep } from "#core/repair/steps/scale";
import { credentialsOfSource } from "../../store/credentials";
import { keysOf } from "../../store/keys";
import { sourceById } from "../../store/sources";
import { driverOf } from "../../sources/registry";
import type { TakeStep } from "./taker";

/** Asks the platform that a workload was found on for more or fewer copies of it. */
export const takeScale: TakeStep<ScaleStep> = async (step, context) => {
  const { world, target, words, runbook, signal } = context;
  const { db, vault } = world;
  const source = target.source_id === null ? undefined : sourceById(db, target.source_id);
  const scale = source && driverOf(source.kind).scale;
  if (!source || !scale) return `${target.name} was not found by a source that can scale it.`;
  const purpose = `“${runbook}” on ${target.name}`;
  const credentials = credentialsOfSource(db, source.id);
  const access = credentials.map((one) => vault.use(one, purpose));
  for (const { fields } of access) {
    const { user: _user, ...secrets } = fields;
    context.keepSecret(Object.values(secrets));
  }
  const ended = new AbortController();
  const timer = setTimeout(() => ended.abort(), world.machineMs(step.timeoutSeconds * 1000) + 3000);
  try {
    const done = await scale(
      source.settings,
      access,
      keysOf(db, target.id).map((one) => one.key),
      (now) => copiesWanted(step, now, words),
      AbortSignal.any([signal, ended.signal]),
    );
    if ("problem" in done) return done.problem;
    context.keep({ copies_before: done.before });
    context.note({ command: `scale ${target.name} from ${done.before} to ${done.after}` });
    context.print(`${target.name}: ${done.before} → ${done.after} copies.\n`);
    for (const one of credentials) vault.note(one.id, purpose, null);
    return undefined;
  } catch (error) {
    if (ended.signal.aborted) return `No answer after ${step.timeoutSeconds} s. It is not known whether it was scaled.`;
    return error instanceof Error ? error.message : String(error);
  } finally {
    clearTimeout(timer);
  }
};
