import { z } from "zod";
import {
  attemptById,
  attempts,
  blindAttemptOf,
  insertAttempt,
  updateAttempt,
  type Attempt,
  type TrailStep,
} from "../store/drills";
import { PersonError, type Db } from "../store/database";
import { command } from "./command";
import type { CommandPorts } from "./ports";

const NO_DRILLS = "Drills need the stand-in estate; this installation watches a real one.";
const MOST_STEPS = 400;
/** Attempts back in which a drill counts as done lately. */
const LATELY = 20;
/** Pages that show something of what is wrong, rather than lists. */
const A_FINDING = /^\/(incidents\/\d|estate\/\d|services\/.|signals\/traces\/.)/;

const trail = z.array(z.strictObject({ atMs: z.number(), path: z.string().max(300) })).max(MOST_STEPS);

function drillsOf(ports: CommandPorts): NonNullable<CommandPorts["drills"]> {
  if (!ports.drills) throw new PersonError(NO_DRILLS);
  return ports.drills;
}

/** The blind attempt that a person is at; throws where it is not theirs, or known already. */
function attemptOf(db: Db, id: number, person: string): Attempt {
  const found = attemptById(db, id);
  if (!found || found.byWhom !== person) throw new PersonError("That is not a drill of yours.");
  if (found.revealedAt !== null) throw new PersonError("The cause of that drill is known already.");
  return found;
}

function withTrail(attempt: Attempt, steps: readonly TrailStep[]): Attempt {
  const own = steps.filter((step) => step.atMs >= attempt.startedAt - 60_000);
  const found = own.find((step) => A_FINDING.test(step.path));
  return {
    ...attempt,
    trail: own,
    noticedAt: attempt.noticedAt ?? (found ? Math.max(attempt.startedAt, found.atMs) : null),
  };
}

/** Practising: faults of the stand-in estate, in the open or blind. */
export const drillCommands = {
  "drill.act": command({
    right: "respond",
    about: ({ id }) => ({ type: "drill", id }),
    input: z.strictObject({ id: z.string().max(80), action: z.enum(["start", "stop"]) }),
    run: async (ports, input, who) => {
      const drills = drillsOf(ports);
      const problem = await drills.act(input.id, input.action);
      if (problem) throw new PersonError(problem);
      if (input.action === "stop") return;
      const drill = (await drills.list()).find((one) => one.id === input.id);
      insertAttempt(ports.db, {
        drill: input.id,
        title: drill?.title ?? input.id,
        byWhom: who.name,
        isBlind: false,
        startedAt: ports.now(),
      });
    },
    record: (input) => `${input.action === "start" ? "Started" : "Stopped"} drill ${input.id}`,
  }),
  "drill.blind": command({
    right: "respond",
    about: () => ({ type: "drill" }),
    input: z.strictObject({
      /** What it is about; anything where empty. */
      group: z.string().max(40),
    }),
    run: async (ports, { group }, who) => {
      const drills = drillsOf(ports);
      if (blindAttemptOf(ports.db, who.name))
        throw new PersonError("You are at a blind drill already. Name its cause, or give it up.");
      const list = await drills.list();
      if (list.some((one) => one.activeSinceMs !== undefined))
        throw new PersonError("A drill is running. End it first, so that a blind one stands alone.");
      const about = list.filter((one) => group === "" || one.group === group);
      // Rather one that this person has not done lately.
      const mine = attempts(ports.db).filter((one) => one.byWhom === who.name);
      const lately = new Set(mine.slice(0, LATELY).map((one) => one.drill));
      const fresh = about.filter((one) => !lately.has(one.id));
      const choice = fresh.length ? fresh : about;
      const drill = choice[Math.floor(Math.random() * choice.length)];
      if (!drill) throw new PersonError(`There is no drill about “${group}”. Choose another, or any.`);
      const problem = await drills.act(drill.id, "start");
      if (problem) throw new PersonError(problem);
      return insertAttempt(ports.db, {
        drill: drill.id,
        title: drill.title,
        byWhom: who.name,
        isBlind: true,
        startedAt: ports.now(),
      });
    },
    record: (_input, id) => `Started blind drill ${id ?? ""}`.trim(),
  }),
  "drill.name": command({
    right: "respond",
    about: ({ attempt }) => ({ type: "drill", id: attempt }),
    input: z.strictObject({
      attempt: z.number().int().min(1),
      cause: z
        .string()
        .trim()
        .min(1, "Name a host, a process @ host, or a line: two sites with a dash between them.")
        .max(200),
      trail,
    }),
    run: async (ports, input, who) => {
      const attempt = withTrail(attemptOf(ports.db, input.attempt, who.name), input.trail);
      const { root, roots } = await drillsOf(ports).name(attempt.drill, input.cause);
      const found = root >= 0 ? [...new Set([...attempt.roots, root])] : attempt.roots;
      const isDone = roots > 0 && found.length === roots;
      const at = ports.now();
      updateAttempt(ports.db, {
        ...attempt,
        tries: attempt.tries + 1,
        roots: found,
        ...(isDone ? { namedAt: at, revealedAt: at } : {}),
      });
      return { isRight: root >= 0, left: roots - found.length };
    },
    record: (input, said) =>
      `Named “${input.cause}” as the cause of blind drill ${input.attempt}${said ? (said.isRight ? ": right" : ": not it") : ""}`,
  }),
  "drill.nothing": command({
    right: "respond",
    about: ({ attempt }) => ({ type: "drill", id: attempt }),
    input: z.strictObject({ attempt: z.number().int().min(1), trail }),
    run: async (ports, input, who) => {
      const attempt = withTrail(attemptOf(ports.db, input.attempt, who.name), input.trail);
      const { roots } = await drillsOf(ports).name(attempt.drill, "");
      const at = ports.now();
      const isRight = roots === 0;
      updateAttempt(ports.db, {
        ...attempt,
        tries: attempt.tries + 1,
        ...(isRight ? { namedAt: at, revealedAt: at } : {}),
      });
      return { isRight, left: roots };
    },
    record: (input, said) =>
      `Said of blind drill ${input.attempt} that nothing is wrong${said ? (said.isRight ? ": right" : ": not so") : ""}`,
  }),
  "drill.pace": command({
    right: "configure",
    about: () => ({ type: "drill" }),
    input: z.strictObject({
      pace: z.number().min(1, "The clock does not go slower than real time.").max(60, "60 is as fast as it goes."),
    }),
    run: (ports, { pace }) => drillsOf(ports).setPace(pace),
    record: ({ pace }) => `Set the demonstration’s clock to ${pace} × real time`,
  }),
  "drill.reveal": command({
    right: "respond",
    about: ({ attempt }) => ({ type: "drill", id: attempt }),
    input: z.strictObject({ attempt: z.number().int().min(1), trail }),
    run: (ports, input, who) => {
      const attempt = withTrail(attemptOf(ports.db, input.attempt, who.name), input.trail);
      updateAttempt(ports.db, { ...attempt, revealedAt: ports.now() });
    },
    record: (input) => `Had the cause of blind drill ${input.attempt} shown`,
  }),
};
