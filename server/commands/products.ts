import { z } from "zod";
import { hasKind } from "#core/catalogue/kinds";
import { CLUES, type Clue } from "#core/estate/fingerprints";
import { INSTALLATION } from "#core/people/rights";
import { PersonError } from "../store/database";
import { namedProducts, removeNamedProduct, saveNamedProduct } from "../store/fingerprints";
import { command } from "./command";

/** More would make every sweep slower. */
const MOST_NAMED = 2000;

export const productCommands = {
  "product.name": command({
    right: "configure",
    input: z.strictObject({
      product: z.string().trim().min(1, "Say what it is.").max(60, "A product has at most 60 characters."),
      kind: z.string().refine(hasKind, "There is no such kind. Choose one from the list."),
      clue: z.string().refine((text) => (CLUES as readonly string[]).includes(text), "Choose what it is known by."),
      words: z
        .string()
        .trim()
        .min(3, "Give at least three characters that it shows.")
        .max(120, "At most 120 characters."),
    }),
    about: () => INSTALLATION,
    run: ({ db, now }, input, who) => {
      if (namedProducts(db).length >= MOST_NAMED)
        throw new PersonError(`${MOST_NAMED.toLocaleString("en-GB")} products are named already. Forget some first.`);
      saveNamedProduct(db, { ...input, clue: input.clue as Clue, madeBy: who.name }, now());
    },
    record: ({ product, clue, words }) => `Named ${product} by its ${clue} “${words}”`,
  }),
  "product.forget": command({
    right: "configure",
    input: z.strictObject({ id: z.int().min(1) }),
    about: () => INSTALLATION,
    run: ({ db }, { id }) => {
      const known = removeNamedProduct(db, id);
      if (!known) throw new PersonError("That name is not there any more.");
      return known.product;
    },
    record: (_input, product) => `Forgot what ${product ?? "a product"} is known by`,
  }),
};
