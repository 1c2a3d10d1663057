import type { AgentStep } from "#core/repair/steps/agent";
import type { TakeStep } from "./taker";

/** Has the agent of the target's host do what its owner allows. */
export const takeAgent: TakeStep<AgentStep> = async (step, context) => {
  const { world, target, signal } = context;
  const offered = world.agentActions?.offered(target.host_id ?? target.id);
  if (!world.agentActions || !offered)
    return `${target.name} has no agent that asked lately for something to do. The owner of its host allows actions in the agent's own file.`;
  if (!offered.includes(step.action))
    return `The owner of ${target.name} does not allow “${step.action}”; allowed are ${offered.join(", ") || "none"}.`;
  context.note({ command: `agent: ${step.action}` });
  const ended = new AbortController();
  const timer = setTimeout(() => ended.abort(), world.machineMs(step.timeoutSeconds * 1000) + 10_000);
  try {
    const end = await world.agentActions.ask(
      target.host_id ?? target.id,
      step.action,
      AbortSignal.any([signal, ended.signal]),
    );
    if (!end) return `The agent did not say within ${step.timeoutSeconds} s how it ended. Look before starting again.`;
    context.print(end.output);
    context.note({ exitCode: end.exitCode });
    if (end.failure !== undefined) return end.failure;
    return step.accept.includes(end.exitCode ?? -1) ? undefined : `The action ended with exit code ${end.exitCode}.`;
  } finally {
    clearTimeout(timer);
  }
};
