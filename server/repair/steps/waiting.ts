import { fillText } from "#core/repair/fill";
import type { ApproveStep } from "#core/repair/steps/approve";
import type { NoteStep } from "#core/repair/steps/note";
import type { WaitStep } from "#core/repair/steps/wait";
import { MINUTE_MS, spokenDuration } from "#core/time/windows";
import type { TakeStep } from "./taker";

export const takeWait: TakeStep<WaitStep> = async (step, { world, signal }) => {
  await world.sleep(step.seconds * 1000, signal);
  return undefined;
};

export const takeNote: TakeStep<NoteStep> = async (step, { words, print }) => {
  print(fillText(step.text, words));
  return undefined;
};

export const takeApprove: TakeStep<ApproveStep> = async (step, { world, words, print, ask }) => {
  if (step.text) print(fillText(step.text, words));
  const answer = await ask(world.now() + step.withinMinutes * MINUTE_MS);
  if (!answer) return `Nobody approved it within ${spokenDuration(step.withinMinutes * MINUTE_MS)}.`;
  return answer.approved ? undefined : `${answer.by} did not approve it.`;
};
