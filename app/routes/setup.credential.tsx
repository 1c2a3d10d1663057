import Button from "@mui/material/Button";
import { redirect } from "react-router";
import type { Route } from "./+types/setup.credential";
import { useAnswer } from "../shell/answer";
import { act, idFrom, missing, formOf } from "../shell/answers.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { CredentialForm } from "../ui/vault/CredentialForm";

export const meta: Route.MetaFunction = () => [{ title: "Credential · Holotaxis" }];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "credential"));

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const kind = new URL(request.url).searchParams.get("kind") ?? "ssh-key";
  const page = await context.ask("credential", { id: idOf(params.id), kind });
  if (!page) throw missing("credential", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { intent, kind, at, ...given } = Object.fromEntries(
    [...(await formOf(request))].map(([name, value]) => [name, typeof value === "string" ? value : ""]),
  );
  const id = idOf(params.id);
  const input = { ...(id === null ? {} : { id }), kind: String(kind), fields: given };
  if (intent === "test") {
    const tried = await act(context, "credential.test", { ...input, at: at ?? "" });
    return tried.ok ? { ok: true as const, tried: tried.value } : tried.refusal;
  }
  if (intent === "remove" && id !== null) {
    const removed = await act(context, "credential.remove", { id });
    return removed.ok ? redirect("/setup/credentials") : removed.refusal;
  }
  const saved = await act(context, "credential.save", input);
  return saved.ok ? redirect("/setup/credentials") : saved.refusal;
}

export default function Credential({ loaderData, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { credential, kind } = loaderData;
  const refusal = actionData && "problem" in actionData ? actionData : undefined;
  const tried = actionData && "tried" in actionData ? actionData.tried : undefined;
  return (
    <>
      <PageHead
        name="Setup › Credentials"
        sentence={credential ? `${credential.name}: ${kind.label}.` : `A new credential: ${kind.label}.`}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Section title={kind.label}>
        <CredentialForm key={kind.id} page={loaderData} refusal={refusal} />
        <p role="status" className="hx-small">
          {tried ? `${tried.ok ? "It works" : "It does not work"}: ${tried.line}` : ""}
        </p>
      </Section>
      {credential?.sources.length ? (
        <p className="hx-caption">Used by {credential.sources.join(", ")}. Take it out there before it is removed.</p>
      ) : null}
      <Button href="/setup/credentials">All credentials</Button>
    </>
  );
}
