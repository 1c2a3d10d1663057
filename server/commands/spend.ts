import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { isDimension } from "#core/spend/cube";
import { PersonError } from "../store/database";
import {
  askPlatformsAnew,
  budgetById,
  importById,
  noteSpend,
  putBudget,
  ratesOf,
  removeBudget,
  removeImport,
  reportCurrency,
  setCurrencies,
} from "../store/spend";
import { command } from "./command";

const id = z.number().int().min(1);
const amount = z
  .number("Give an amount, like 12000.")
  .positive("An amount is more than 0.")
  .max(1e12, "That is too much.");
const currency = z.string().regex(/^[A-Z]{3}$/, "Give a currency by its three capital letters, like EUR.");

export const spendCommands = {
  "spend.take": command({
    right: "configure",
    input: z.strictObject({
      upload: z.string().max(80),
      name: z.string().trim().min(1).max(120),
      replaces: z.boolean(),
    }),
    about: () => INSTALLATION,
    run: ({ spend }, input, who) => spend.takeFile(input, who.name),
    record: ({ name }, taken) =>
      taken
        ? `Took in ${taken.lines.toLocaleString("en-GB")} lines of costs from ${name}`
        : `Sent the costs of ${name}`,
  }),
  "spend.drop": command({
    right: "configure",
    input: z.strictObject({ id }),
    about: () => INSTALLATION,
    state: ({ db }, input) => importById(db, input.id),
    run: ({ db, onSpend }, input) => {
      const one = importById(db, input.id);
      if (!one) throw new PersonError("That file is not there any more.");
      if (one.source_id !== null)
        throw new PersonError(
          "A platform told this, and would tell it again. Remove the source under Discover instead.",
        );
      removeImport(db, input.id);
      // What the file stood before may be told by the platform itself.
      askPlatformsAnew(db);
      noteSpend(db);
      onSpend();
      return one.name;
    },
    record: (_input, name) => `Removed the costs of ${name ?? "a file"}`,
  }),
  "budget.save": command({
    right: "configure",
    input: z.strictObject({
      name: z.string().trim().min(1, "Give the budget a name.").max(80),
      dimension: z.string().refine(isDimension, "Choose what the budget is for.").nullable(),
      value: z.string().trim().max(200).nullable(),
      amount,
    }),
    about: () => INSTALLATION,
    run: ({ db, now, onSpend }, input, who) => {
      if (input.dimension !== null && !input.value)
        throw new PersonError("Say which one the budget is for.", { value: "Say which one." });
      const made = putBudget(db, {
        ...input,
        value: input.dimension === null ? null : input.value,
        made_at: now(),
        made_by: who.name,
      });
      noteSpend(db);
      onSpend();
      return made;
    },
    record: ({ name, amount: much }) => `Set the budget ${name} to ${much} a month`,
  }),
  "budget.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    about: () => INSTALLATION,
    state: ({ db }, input) => budgetById(db, input.id),
    run: ({ db, onSpend }, input) => {
      const name = budgetById(db, input.id)?.name;
      if (!removeBudget(db, input.id)) throw new PersonError("That budget is not there any more.");
      noteSpend(db);
      onSpend();
      return name;
    },
    record: (_input, name) => `Removed the budget ${name ?? ""}`,
  }),
  "spend.currencies": command({
    right: "configure",
    input: z.strictObject({
      currency,
      rates: z
        .record(currency, z.number("Give a rate, like 0.86.").positive("A rate is more than 0.").max(1e9))
        .refine((rates) => Object.keys(rates).length <= 40, "There are at most 40 rates."),
    }),
    about: () => INSTALLATION,
    state: ({ db }) => ({ currency: reportCurrency(db), rates: Object.fromEntries(ratesOf(db)) }),
    run: ({ db, onSpend }, input) => {
      setCurrencies(db, input.currency, new Map(Object.entries(input.rates)));
      onSpend();
    },
    record: (input) => `Costs are summed up in ${input.currency}`,
  }),
};
