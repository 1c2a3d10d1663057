import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form, redirect, useNavigation, useSearchParams } from "react-router";
import type { Field } from "#core/forms/field";
import type { Route } from "./+types/setup.credential";
import { act, idFrom, missing, formOf } from "../shell/answers.server";
import { PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";
import { SchemaField } from "../ui/SchemaField";

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

export default function Credential({ loaderData, actionData }: Route.ComponentProps) {
  const { credential, kind, kinds, open, sealed } = loaderData;
  const [, setParams] = useSearchParams();
  const busy = useNavigation().state !== "idle";
  const refusal = actionData && "problem" in actionData ? actionData : undefined;
  const problemOf = (name: string) => refusal?.fields?.[name];
  const tried = actionData && "tried" in actionData ? actionData.tried : undefined;
  return (
    <>
      <PageHead
        name="Setup › Credentials"
        sentence={credential ? `${credential.name}: ${kind.label}.` : `A new credential: ${kind.label}.`}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Section title={kind.label}>
        <Form method="post" noValidate key={kind.id} autoComplete="off">
          <input type="hidden" name="kind" value={kind.id} />
          <Stack sx={{ gap: 1.5 }}>
            <Stack direction="row" sx={{ gap: 1.5 }}>
              <TextField
                name="name"
                label="Name"
                required
                fullWidth
                defaultValue={credential?.name ?? ""}
                error={problemOf("name") !== undefined}
                helperText={problemOf("name")}
              />
              {credential ? null : (
                <TextField
                  label="Kind"
                  select
                  value={kind.id}
                  onChange={(event) => setParams((params) => (params.set("kind", event.target.value), params))}
                  sx={{ width: 300 }}
                >
                  {kinds.map((one) => (
                    <MenuItem key={one.value} value={one.value}>
                      {one.label}
                    </MenuItem>
                  ))}
                </TextField>
              )}
            </Stack>
            {open.map((field) => (
              <SchemaField key={field.name} field={field} problem={problemOf(field.name)} />
            ))}
            {sealed.map((field) => (
              <SecretField
                key={field.name}
                field={field}
                problem={problemOf(field.name)}
                help={credential ? "Leave empty to keep the current one." : "Kept encrypted and never shown again."}
              />
            ))}
            <TextField
              name="destinations"
              label="For"
              required
              fullWidth
              defaultValue={credential?.destinations ?? ""}
              error={problemOf("destinations") !== undefined}
              helperText={
                problemOf("destinations") ??
                "Addresses, blocks, spans and names, separated by commas: 10.0.1.0/24, db.example, *.ops.example. It is used nowhere else."
              }
            />
            <Stack direction="row" sx={{ gap: 1, alignItems: "center" }}>
              <RightButton
                right="configure"
                type="submit"
                variant="contained"
                name="intent"
                value="save"
                disabled={busy}
              >
                {credential ? "Save" : "Add credential"}
              </RightButton>
              <TextField
                name="at"
                label={kind.serves === "http" ? "Address to try" : "Host to try, with its port"}
                placeholder={kind.serves === "http" ? "https://host.example/metrics" : "10.0.1.5:22"}
                error={problemOf("at") !== undefined}
                helperText={problemOf("at")}
                sx={{ width: 300 }}
              />
              <RightButton
                right="configure"
                type="submit"
                variant="outlined"
                name="intent"
                value="test"
                disabled={busy}
              >
                Test
              </RightButton>
              {credential && credential.sources.length === 0 ? (
                <RightButton right="configure" type="submit" color="error" name="intent" value="remove" disabled={busy}>
                  Remove
                </RightButton>
              ) : null}
            </Stack>
            <p role="status" className="hx-small">
              {tried ? `${tried.ok ? "It works" : "It does not work"}: ${tried.line}` : ""}
            </p>
          </Stack>
        </Form>
      </Section>
      {credential?.sources.length ? (
        <p className="hx-caption">Used by {credential.sources.join(", ")}. Take it out there before it is removed.</p>
      ) : null}
      <Button href="/setup/credentials">All credentials</Button>
    </>
  );
}

/** A field whose value is sealed: never shown, and masked while it is typed, but for keys of several lines. */
function SecretField({ field, problem, help }: { field: Field; problem: string | undefined; help: string }) {
  return (
    <TextField
      name={field.name}
      label={field.label}
      fullWidth
      {...(field.type === "lines" ? { multiline: true, minRows: 3 } : { type: "password" })}
      autoComplete="off"
      error={problem !== undefined}
      helperText={problem ?? help}
    />
  );
}
