import { z } from "zod";
import { parseServices } from "#core/estate/service-list";
import { MEMBER_STATES, readWeights } from "#core/topology/health";
import { insertChange } from "../store/changes";
import { PersonError } from "../store/database";
import { componentsById } from "../store/estate";
import { listServices, retireService, saveService, serviceOfUid, type ServiceDetails } from "../store/services";
import { command } from "./command";
import type { CommandPorts } from "./ports";

const text = (what: string, most: number) => z.string().trim().max(most, `${what} has at most ${most} characters.`);
/** Milliseconds as typed in; empty for none. */
const limit = z
  .string()
  .trim()
  .regex(/^([1-9]\d{0,5})?$/, "A limit is a whole number of milliseconds, at most 999,999.")
  .default("");
const ids = z.array(z.int().min(1)).max(2000);
const uid = z.string().regex(/^[a-z0-9-]{1,60}$/);

const objective = z
  .string()
  .trim()
  .max(12)
  .default("")
  .refine(
    (text) => text === "" || (Number(text) >= 50 && Number(text) < 100),
    "A share from 50 to below 100, such as 99.5.",
  );

const wholeFrom = (least: number, most: number, message: string) =>
  z
    .string()
    .trim()
    .max(6)
    .default("")
    .refine(
      (given) => given === "" || (/^\d+$/.test(given) && Number(given) >= least && Number(given) <= most),
      message,
    );

const serviceInput = z.strictObject({
  /** Left out for a new one. */
  uid: uid.optional(),
  name: text("A name", 80).min(1, "Give the service a name."),
  purpose: text("What it is for", 200).default(""),
  owner: text("An owner", 80).min(1, "Say who owns it."),
  entries: z
    .array(
      z.strictObject({
        host: text("A pattern", 120).min(1),
        process: text("A pattern", 120).min(1),
        operations: z
          .array(text("The name of an operation", 200).min(1))
          .max(50, "An entry point is limited to at most 50 operations.")
          .optional(),
      }),
    )
    .max(50),
  pinned: ids.default([]),
  excluded: ids.default([]),
  hours: text("The hours", 80).default(""),
  serverLimitMs: limit,
  browserLimitMs: limit,
  objectivePercent: objective,
  /** Left empty, calls count. */
  figurePercent: z
    .string()
    .trim()
    .max(6)
    .default("")
    .refine(
      (given) => given === "" || (Number(given) >= 1 && Number(given) <= 1000),
      "A share of the usual from 1 to 1,000 %.",
    ),
  /** Of a figure of which more is worse. */
  figureAtMost: z.boolean().default(false),
  /** How its members' state follows from each of theirs. */
  membersBy: z.enum(MEMBER_STATES).default("worst"),
  criticalPercent: wholeFrom(1, 100, "A share is a whole number from 1 to 100."),
  quorum: wholeFrom(1, 50, "How many must be well is a whole number from 1 to 50."),
  weights: text("The list of weights", 2000)
    .default("")
    .superRefine((given, context) => {
      const read = readWeights(given);
      if (!read.ok) context.addIssue({ code: "custom", message: read.problem });
    }),
  /** Only failures, or slowness too. */
  failuresOnly: z.boolean().default(false),
  /** What it is meant to rely on; left out where nobody says. */
  reliesOn: z.array(uid).max(200).optional(),
  notes: text("Notes", 4000).default(""),
});

/** "Gate Appointments" as it stands in addresses. */
const uidOf = (name: string): string =>
  name
    .toLowerCase()
    .normalize("NFKD")
    .replaceAll(/[^a-z0-9]+/g, "-")
    .replaceAll(/^-+|-+$/g, "")
    .slice(0, 56) || "service";

/** Makes or changes a service; call inside a transaction. Returns the name it has in addresses. */
function save({ db, now }: Pick<CommandPorts, "db" | "now">, input: z.infer<typeof serviceInput>, by: string): string {
  const others = listServices(db).filter((one) => one.uid !== input.uid);
  if (others.some((one) => one.name.toLowerCase() === input.name.toLowerCase()))
    throw new PersonError(`There is a service called “${input.name}” already. Choose another name, or edit that one.`, {
      name: "This name is taken.",
    });
  if (!input.entries.length && !input.pinned.length)
    throw new PersonError("A service needs an entry point or at least one member. Add one.");
  const known = input.uid === undefined ? undefined : serviceOfUid(db, input.uid);
  if (input.uid !== undefined && !known) throw new PersonError("That service does not exist any more.");
  if (input.figurePercent && !known?.figure)
    throw new PersonError("This service has no business figure that an objective could count. Leave its share empty.", {
      figurePercent: "It has no business figure.",
    });
  if (input.figurePercent && !input.objectivePercent)
    throw new PersonError("Say how often the figure is to keep to its usual: an objective in percent.", {
      objectivePercent: "Missing.",
    });
  const share = Number(input.figurePercent);
  if (input.figurePercent && (input.figureAtMost ? share < 100 : share > 100))
    throw new PersonError(
      input.figureAtMost
        ? "A figure that may be no more than a part of its usual would fail always. Choose 100 % or more."
        : "A figure that is to reach more than its usual would fail nearly always. Choose 100 % or less, or “at most”.",
      { figurePercent: input.figureAtMost ? "100 % or more." : "100 % or less." },
    );
  const taken = new Set(others.map((one) => one.uid));
  let made = input.uid ?? uidOf(input.name);
  for (let count = 2; input.uid === undefined && (taken.has(made) || serviceOfUid(db, made)); count++)
    made = `${uidOf(input.name)}-${count}`;
  const present = new Set(componentsById(db, [...input.pinned, ...input.excluded]).map((one) => one.id));
  saveService(
    db,
    {
      uid: made,
      name: input.name,
      purpose: input.purpose,
      owner: input.owner,
      entries: input.entries,
      figure: known?.figure ?? undefined,
      details: {
        tells: input.failuresOnly ? "failures" : "failures and slowness",
        pinned: input.pinned.filter((one) => present.has(one)),
        excluded: input.excluded.filter((one) => present.has(one)),
        ...(input.hours ? { hours: input.hours } : {}),
        ...(input.serverLimitMs ? { serverLimitMs: Number(input.serverLimitMs) } : {}),
        ...(input.browserLimitMs ? { browserLimitMs: Number(input.browserLimitMs) } : {}),
        ...(input.objectivePercent ? { objectivePercent: Number(input.objectivePercent) } : {}),
        ...(input.figurePercent
          ? { figurePercent: share, ...(input.figureAtMost ? { figureSide: "most" as const } : {}) }
          : {}),
        ...(input.reliesOn?.length ? { reliesOn: input.reliesOn.filter((one) => taken.has(one)) } : {}),
        ...healthOf(input),
        ...(input.notes ? { notes: input.notes } : {}),
      },
    },
    now(),
  );
  const summary = `Service ${input.name} was ${known ? "changed" : "made"}`;
  insertChange(db, { atMs: now(), kind: "setting", componentId: null, summary, by });
  return made;
}

/** The rule of its members' state; the worst of them goes without saying. */
function healthOf(input: z.infer<typeof serviceInput>): Pick<ServiceDetails, "state"> {
  const { membersBy: rule, criticalPercent, quorum, weights } = input;
  if (rule === "worst") return {};
  const read = readWeights(weights);
  return {
    state: {
      rule,
      ...(criticalPercent && rule !== "quorum" ? { criticalPercent: Number(criticalPercent) } : {}),
      ...(quorum && rule === "quorum" ? { quorum: Number(quorum) } : {}),
      ...(rule === "weight" && read.ok ? { weights: read.weights } : {}),
    },
  };
}

/** What a list of services says nothing of, as the form would send it. */
const asTyped = ({ pinned = [], excluded = [], state, figurePercent, figureSide, reliesOn }: ServiceDetails) => ({
  reliesOn,
  pinned,
  excluded,
  figurePercent: String(figurePercent ?? ""),
  figureAtMost: figureSide === "most",
  membersBy: state?.rule ?? "worst",
  criticalPercent: String(state?.criticalPercent ?? ""),
  quorum: String(state?.quorum ?? ""),
  weights: (state?.weights ?? []).map((one) => `${one.pattern} = ${one.weight}`).join("\n"),
});

export const serviceCommands = {
  "service.save": command({
    right: "configure",
    input: serviceInput,
    run: (ports, input, who) => {
      const made = ports.db.transaction(() => save(ports, input, who.name))();
      ports.onServices();
      return made;
    },
    about: ({ uid: one }, saved) => ({ type: "service", id: one ?? saved ?? "new" }),
    state: ({ db }, { uid: one }, saved) => serviceOfUid(db, one ?? saved ?? ""),
    record: (input) => `${input.uid === undefined ? "Made" : "Changed"} service ${input.name}`,
  }),
  "service.import": command({
    right: "configure",
    input: z.strictObject({ list: z.string().trim().min(1, "Paste the list, or choose a file.").max(2_000_000) }),
    about: () => ({ type: "service", id: "list" }),
    run: (ports, { list }, who) => {
      const { db } = ports;
      const read = parseServices(list);
      if (!read.ok) throw new PersonError(read.problem, { list: read.problem });
      const known = new Map(listServices(db).map((one) => [one.name.toLowerCase(), one]));
      const counts = { made: 0, changed: 0 };
      db.transaction(() => {
        for (const { at, ...one } of read.services) {
          const before = known.get(one.name.toLowerCase());
          const input = serviceInput.safeParse({
            ...one,
            ...(before ? { uid: before.uid, ...asTyped(before.details) } : {}),
            // A list that takes the objective away takes what it counts away too.
            ...(one.objectivePercent ? {} : { figurePercent: "" }),
          });
          const problem = input.success ? undefined : `${at}: ${input.error.issues[0]?.message ?? "it is not right"}`;
          if (!input.success) throw new PersonError(problem ?? "", { list: problem ?? "" });
          save(ports, input.data, who.name);
          counts[before ? "changed" : "made"]++;
        }
      })();
      ports.onServices();
      return counts;
    },
    record: (_input, counts) =>
      `Took in a list of services: ${counts?.made ?? 0} made, ${counts?.changed ?? 0} changed`,
  }),
  "service.retire": command({
    right: "configure",
    input: z.strictObject({ uid }),
    about: ({ uid: one }) => ({ type: "service", id: one }),
    state: ({ db }, { uid: one }) => serviceOfUid(db, one),
    run: ({ db, now, onServices }, input, who) => {
      const known = serviceOfUid(db, input.uid);
      if (!known || known.retiredAt !== null) throw new PersonError("That service does not exist any more.");
      db.transaction(() => {
        retireService(db, known.id, now());
        const summary = `Service ${known.name} was retired`;
        insertChange(db, { atMs: now(), kind: "setting", componentId: null, summary, by: who.name });
      })();
      onServices();
    },
    record: ({ uid: one }, _output, { db }) => `Retired service ${serviceOfUid(db, one)?.name ?? one}`,
  }),
};
