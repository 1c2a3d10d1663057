import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { FetcherWithComponents } from "react-router";
import type { Answer } from "#server/pages/registry";
import { MONO } from "../../theme/theme";
import { Caption } from "../Page";
import { RightButton } from "../RightButton";

type Page = NonNullable<Answer<"mapping">>;

/** What a new mapping begins with. */
const BEGINNING = `{
  "name": "My cloud",
  "signIn": { "scheme": "key", "header": "x-api-key" },
  "account": { "path": "/account", "id": "id", "name": "name" },
  "lists": [
    {
      "name": "servers", "path": "/servers", "items": "servers",
      "kind": "host.instance", "key": "id", "label": "name",
      "state": "status", "addresses": "addresses"
    }
  ]
}
`;

/** The text of a mapping, and where it is tried. */
export function MappingForm({
  page,
  problems,
  fetcher,
}: {
  page: Page;
  problems: Readonly<Record<string, string>>;
  fetcher: Pick<FetcherWithComponents<unknown>, "Form" | "state">;
}) {
  const [text, setText] = useState(page.text || BEGINNING);
  const [address, setAddress] = useState(page.address);
  const fitting = page.credentials.find((one) => address !== "" && one.destinations.includes(hostOf(address)));
  const [credential, setCredential] = useState(fitting ? String(fitting.id) : "");
  const busy = fetcher.state !== "idle";
  return (
    <fetcher.Form method="post" noValidate>
      <Stack sx={{ gap: 1.5 }}>
        <TextField
          name="text"
          label="Mapping (JSON)"
          value={text}
          onChange={(event) => setText(event.target.value)}
          error={problems.text !== undefined}
          fullWidth
          multiline
          minRows={12}
          maxRows={18}
          slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: MONO, fontSize: "0.8rem" } } }}
        />
        <Caption>
          Expressions are JSONata 2 over an answer, or over one item of it. Names in braces are filled in: region,
          account, ids, from, to. The form of it is described in docs/formats.md.
        </Caption>
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
          <TextField
            name="address"
            label="Try it at"
            placeholder="https://api.cloud.example"
            value={address}
            onChange={(event) => setAddress(event.target.value)}
            error={problems.address !== undefined}
            helperText={problems.address}
            sx={{ width: 340 }}
          />
          <TextField
            select
            name="credentialId"
            label="With"
            value={credential}
            onChange={(event) => setCredential(event.target.value)}
            sx={{ width: 340 }}
          >
            <MenuItem value="">no credential</MenuItem>
            {page.credentials.map((one) => (
              <MenuItem key={one.id} value={String(one.id)}>
                {one.name} ({one.kind})
              </MenuItem>
            ))}
          </TextField>
          <TextField
            name="path"
            label="Look at the answer of"
            placeholder="/servers"
            error={problems.path !== undefined}
            helperText={problems.path}
            sx={{ width: 340 }}
          />
        </Stack>
        <Intents busy={busy} canRemove={page.name !== null} />
      </Stack>
    </fetcher.Form>
  );
}

function Intents({ busy, canRemove }: { busy: boolean; canRemove: boolean }) {
  return (
    <Stack direction="row" sx={{ gap: 1, flexWrap: "wrap" }}>
      <RightButton right="configure" type="submit" variant="contained" name="intent" value="save" disabled={busy}>
        Save
      </RightButton>
      <RightButton right="configure" type="submit" variant="outlined" name="intent" value="preview" disabled={busy}>
        Preview what it makes
      </RightButton>
      <RightButton right="configure" type="submit" variant="outlined" name="intent" value="answer" disabled={busy}>
        Show the answer
      </RightButton>
      {canRemove ? (
        <RightButton right="configure" type="submit" variant="text" name="intent" value="remove" disabled={busy}>
          Remove
        </RightButton>
      ) : null}
    </Stack>
  );
}

const hostOf = (address: string) => (URL.canParse(address) ? new URL(address).hostname : address);
