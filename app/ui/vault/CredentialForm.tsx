import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form, useNavigation, useSearchParams } from "react-router";
import type { Field } from "#core/forms/field";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { RightButton } from "../RightButton";
import { SchemaField } from "../SchemaField";

type Page = NonNullable<Answer<"credential">>;
type ProblemOf = (field: string) => string | undefined;

/** The form of a credential: its name and kind, what is shown, what is sealed, for which destinations. */
export function CredentialForm({ page, refusal }: { page: Page; refusal: Refusal | undefined }) {
  const { credential, kind, open, sealed } = page;
  const problemOf: ProblemOf = (field) => refusal?.fields?.[field];
  return (
    <Form method="post" noValidate autoComplete="off">
      <input type="hidden" name="kind" value={kind.id} />
      <Stack sx={{ gap: 1.5 }}>
        <NameAndKind page={page} problem={problemOf("name")} />
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
        <Actions page={page} problem={problemOf("at")} />
      </Stack>
    </Form>
  );
}

function NameAndKind({ page: { credential, kind, kinds }, problem }: { page: Page; problem: string | undefined }) {
  const [, setParams] = useSearchParams();
  return (
    <Stack direction="row" sx={{ gap: 1.5 }}>
      <TextField
        name="name"
        label="Name"
        required
        fullWidth
        defaultValue={credential?.name ?? ""}
        error={problem !== undefined}
        helperText={problem}
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
  );
}

/** Save, try it somewhere, remove. */
function Actions({ page: { credential, kind }, problem }: { page: Page; problem: string | undefined }) {
  const busy = useNavigation().state !== "idle";
  const isHttp = kind.serves === "http";
  const button = { right: "configure", type: "submit", name: "intent", disabled: busy } as const;
  return (
    <Stack direction="row" sx={{ gap: 1, alignItems: "center" }}>
      <RightButton {...button} variant="contained" value="save">
        {credential ? "Save" : "Add credential"}
      </RightButton>
      <TextField
        name="at"
        label={isHttp ? "Address to try" : "Host to try, with its port"}
        placeholder={isHttp ? "https://host.example/metrics" : "10.0.1.5:22"}
        error={problem !== undefined}
        helperText={problem}
        sx={{ width: 300 }}
      />
      <RightButton {...button} variant="outlined" value="test">
        Test
      </RightButton>
      {credential && credential.sources.length === 0 ? (
        <RightButton {...button} color="error" value="remove">
          Remove
        </RightButton>
      ) : null}
    </Stack>
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
