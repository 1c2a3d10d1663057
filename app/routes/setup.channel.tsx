import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { redirect } from "react-router";
import type { Route } from "./+types/setup.channel";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { ChannelForm, ChannelTest } from "../ui/telling/ChannelForm";

export const meta: Route.MetaFunction = () => [{ title: "Channel · Holotaxis" }];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "channel"));

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const kind = new URL(request.url).searchParams.get("kind") ?? "mail";
  const page = await context.ask("channel", { id: idOf(params.id), kind });
  if (!page) throw missing("channel", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { intent, kind, name, isOn, credential, address, ...settings } = Object.fromEntries(
    [...(await formOf(request))].map(([field, value]) => [field, typeof value === "string" ? value : ""]),
  );
  const id = idOf(params.id);
  if (id !== null && intent === "test") {
    const tried = await act(context, "channel.test", { id, address: address ?? "", incidentId: null });
    return tried.ok ? { ok: true as const, tried: tried.value } : tried.refusal;
  }
  if (id !== null && intent === "remove") {
    const removed = await act(context, "channel.remove", { id });
    return removed.ok ? redirect("/setup/channels") : removed.refusal;
  }
  const saved = await act(context, "channel.save", {
    ...(id === null ? {} : { id }),
    kind: kind ?? "",
    name: name ?? "",
    settings,
    credentialId: credential ? Number(credential) : null,
    isOn: isOn === "on",
  });
  if (!saved.ok) return saved.refusal;
  // A new channel is tried next.
  return redirect(id === null ? `/setup/channels/${saved.value}` : "/setup/channels");
}

export default function Channel({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const { channel, kind } = page;
  const refusal = answer && "problem" in answer ? answer : undefined;
  const problems = refusal?.fields ?? {};
  return (
    <>
      <PageHead
        name="Setup › Channels"
        sentence={channel ? `${channel.name}: ${kind.words}` : `A new channel. ${kind.words}`}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title={kind.label}>
          <ChannelForm page={page} problems={problems} />
        </Section>
        {channel ? (
          <Section title="Test">
            <ChannelTest
              kind={kind}
              problems={problems}
              tried={answer && "tried" in answer ? answer.tried : undefined}
            />
          </Section>
        ) : null}
      </Stack>
      <Button href="/setup/channels">All channels</Button>
    </>
  );
}
