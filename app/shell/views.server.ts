import type { ViewedPage } from "#server/store/saved-views";
import type { AppLoadContext } from "react-router";
import { act, type refuse } from "./answers.server";

/** Keeps or removes a view as a page's form asks; undefined where the form asks for something else. */
export async function actOnViews(
  context: Pick<AppLoadContext, "command">,
  page: ViewedPage,
  form: FormData,
): Promise<{ answer: ReturnType<typeof refuse> | null } | undefined> {
  const text = (name: string) => String(form.get(name) ?? "");
  const intent = text("intent");
  if (intent !== "save-view" && intent !== "remove-view") return undefined;
  const done =
    intent === "remove-view"
      ? await act(context, "view.remove", { id: Number(text("id")) })
      : await act(context, "view.save", {
          page,
          name: text("name"),
          query: text("query"),
          shared: text("shared") === "on",
        });
  return { answer: done.ok ? null : done.refusal };
}
