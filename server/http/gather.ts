import type { Answer, Asked, QuestionName } from "../pages/registry";

/** One question for a reading thread. */
export interface Question {
  name: QuestionName;
  asked: unknown;
}

/** Its answer, or what went wrong with it alone. */
export type Reply = { ok: true; value: unknown } | { ok: false; error: unknown };

interface Waiting extends Question {
  resolve: (value: never) => void;
  reject: (error: unknown) => void;
}

/**
 * Gathers what one request asks in one turn of the loop: waking a thread and sending it something costs more than most
 * questions, so it is done once for all of them.
 *
 * @param width how many threads there are to share them
 */
export function gather(
  askAll: (questions: Question[]) => Promise<Reply[]>,
  width: number,
): <Name extends QuestionName>(name: Name, asked: Asked<Name>) => Promise<Answer<Name>> {
  let waiting: Waiting[] = [];
  const send = async (some: readonly Waiting[]) => {
    try {
      const replies = await askAll(some.map(({ name, asked }) => ({ name, asked })));
      some.forEach(({ resolve, reject }, index) => {
        const reply = replies[index];
        if (reply?.ok) resolve(reply.value as never);
        else reject(reply?.error ?? new Error("A reading thread left a question unanswered."));
      });
    } catch (error) {
      for (const { reject } of some) reject(error);
    }
  };
  const sendAll = () => {
    const all = waiting;
    waiting = [];
    // The page's own question comes last; it gets a thread of its own where there are several.
    for (let part = 0; part < Math.min(width, all.length); part++)
      void send(all.filter((_, index) => index % width === part));
  };
  return (name, asked) =>
    new Promise((resolve, reject) => {
      if (waiting.length === 0) setImmediate(sendAll);
      waiting.push({ name, asked, resolve, reject });
    });
}
