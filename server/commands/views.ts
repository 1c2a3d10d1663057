import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { PersonError } from "../store/database";
import { countSavedViews, removeView, savedView, saveView, VIEWED_PAGES, type ViewedPage } from "../store/saved-views";
import { command } from "./command";

const MOST_VIEWS = 100;

/** Parameters of a page's address that a view keeps: all but the window and what happens to be beside it. */
const KEPT: Readonly<Record<ViewedPage, string>> = {
  map: "service site collection incident around up down a b by open only figure find view",
  incidents: "state q with service order",
};
const WORDS: Readonly<Record<ViewedPage, string>> = { map: "map", incidents: "view of incidents" };

function keptOf(page: ViewedPage, query: string): string {
  const names = new Set(KEPT[page].split(" "));
  const kept = new URLSearchParams();
  for (const [name, value] of new URLSearchParams(query)) if (names.has(name)) kept.append(name, value);
  return kept.toString();
}

export const viewCommands = {
  "view.save": command({
    right: "read",
    input: z.strictObject({
      page: z.enum(VIEWED_PAGES),
      name: z.string().trim().min(1, "Give it a name.").max(60, "At most 60 characters."),
      query: z.string().max(4000, "Too much is open to keep this view. Close some of it."),
      shared: z.boolean(),
    }),
    about: () => INSTALLATION,
    run: ({ db, now }, { page, name, query, shared }, who) => {
      if (countSavedViews(db, page, who.name) >= MOST_VIEWS)
        throw new PersonError(`You keep ${MOST_VIEWS} of them already. Remove one first.`);
      saveView(db, { page, name, query: keptOf(page, query), madeBy: who.name, shared }, now());
    },
    record: ({ page, name, shared }) => `Saved ${WORDS[page]} ${name}${shared ? " for everybody" : ""}`,
  }),
  "view.remove": command({
    right: "read",
    input: z.strictObject({ id: z.int().min(1) }),
    about: () => INSTALLATION,
    run: ({ db }, { id }, who) => {
      const view = savedView(db, id);
      if (!view || (view.madeBy !== who.name && !view.shared))
        throw new PersonError("That view is not there any more.");
      if (view.madeBy !== who.name && !who.rights.includes("configure"))
        throw new PersonError(`This ${WORDS[view.page]} is ${view.madeBy}'s; only they or an operator can remove it.`);
      removeView(db, id);
      return view;
    },
    record: (_input, view) => `Removed ${view ? `${WORDS[view.page]} ${view.name}` : "a view"}`,
  }),
};
