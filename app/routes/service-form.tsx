import Stack from "@mui/material/Stack";
import { Form, redirect, useNavigation } from "react-router";
import { limitedTo } from "#core/estate/service-list";
import { MEMBER_STATES } from "#core/topology/health";
import type { Route } from "./+types/service-form";
import { useAnswer } from "../shell/answer";
import { act, formOf, missing } from "../shell/answers.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";
import { EntryPoints } from "../ui/services/EntryPoints";
import { ProposedMembers } from "../ui/services/ProposedMembers";
import { ServiceFields } from "../ui/services/ServiceFields";

export const meta: Route.MetaFunction = () => [{ title: "Service · Holotaxis" }];

const MOST_FROM = 40;

/** Components that a service is begun from, as the address has them. */
const fromOf = (request: Request): number[] =>
  (new URL(request.url).searchParams.get("entry") ?? "")
    .split(",")
    .map(Number)
    .filter((id) => Number.isInteger(id) && id > 0)
    .slice(0, MOST_FROM);

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const from = fromOf(request);
  const page = await context.ask("serviceForm", { uid: params.uid ?? null, from, atMs: context.now() });
  if (!page) throw missing("service", params.uid ?? "");
  return { ...page, from };
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  if (form.get("intent") === "retire") {
    const retired = await act(context, "service.retire", { uid: params.uid ?? "" });
    return retired.ok ? redirect("/setup/services") : retired.refusal;
  }
  const text = (name: string) => String(form.get(name) ?? "");
  const hosts = form.getAll("entry.where").map(String);
  const limits = form.getAll("entry.operations").map(String);
  const entries = form
    .getAll("entry.process")
    .map((process, index) => ({
      process: String(process).trim(),
      host: (hosts[index] ?? "").trim(),
      ...limitedTo(limits[index]?.split("\n")),
    }))
    .filter((entry) => entry.process !== "" && entry.host !== "");
  // What was shown, so that what is unticked is left out, and what is ticked though nothing leads there is put in.
  const page = await context.ask("serviceForm", {
    uid: params.uid ?? null,
    from: fromOf(request),
    atMs: context.now(),
  });
  const chosen = new Set(form.getAll("member").map(Number));
  const members = page?.members ?? [];
  const saved = await act(context, "service.save", {
    ...(params.uid === undefined ? {} : { uid: params.uid }),
    name: text("name"),
    purpose: text("purpose"),
    owner: text("owner"),
    entries,
    pinned: members.filter((one) => chosen.has(one.id) && !one.isReached).map((one) => one.id),
    excluded: members.filter((one) => !chosen.has(one.id) && one.isReached).map((one) => one.id),
    hours: text("hours"),
    membersBy: MEMBER_STATES.find((one) => one === text("membersBy")) ?? "worst",
    criticalPercent: text("criticalPercent"),
    quorum: text("quorum"),
    weights: text("weights"),
    serverLimitMs: text("serverLimitMs"),
    browserLimitMs: text("browserLimitMs"),
    objectivePercent: text("objectivePercent"),
    figurePercent: text("figurePercent"),
    figureAtMost: text("figureSide") === "most",
    failuresOnly: text("tells") === "failures",
    reliesOn: text("reliesOn").split(",").filter(Boolean),
    notes: text("notes"),
  });
  return saved.ok ? redirect(`/services/${saved.value}`) : saved.refusal;
}

export default function ServiceForm({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const answer = actionData && "problem" in actionData ? actionData : undefined;
  const busy = useNavigation().state === "submitting";
  const taken = page.members.filter((one) => one.taken).length;
  const unsure = page.members.filter((one) => one.doubt !== "").length;
  return (
    <Form method="post" noValidate>
      <PageHead
        name={page.service ? "Services › Edit" : "Services › New"}
        sentence={
          page.entries.length === 0
            ? "Say where people come in; everything behind it is found."
            : `${page.entries.length === 1 ? "One entry point leads" : `${page.entries.length} entry points lead`} to ${taken} ${taken === 1 ? "component" : "components"}${unsure ? `; ${unsure} ${unsure === 1 ? "is" : "are"} uncertain` : ""}.`
        }
      />
      <Problem>{answer?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Entry points">
          <EntryPoints page={page} from={page.from} />
        </Section>
        <Section title="Members" pad={false}>
          <ProposedMembers key={page.entries.map((one) => one.host + one.process).join()} page={page} />
        </Section>
        {page.sets.length ? (
          <Section title="Stand in for each other">
            {page.sets.map((set) => `${set.count} × ${set.label} on ${set.hosts}`).join(" · ")}
          </Section>
        ) : null}
        <Section title="About the service">
          <ServiceFields page={page} answer={answer} />
        </Section>
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="configure" type="submit" variant="contained" name="intent" value="save" disabled={busy}>
            {page.service ? "Save" : "Make the service"}
          </RightButton>
          {page.service ? (
            <RightButton
              right="configure"
              type="submit"
              variant="outlined"
              name="intent"
              value="retire"
              disabled={busy}
            >
              Retire the service
            </RightButton>
          ) : null}
        </Stack>
      </Stack>
    </Form>
  );
}
