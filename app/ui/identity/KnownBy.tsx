import Checkbox from "@mui/material/Checkbox";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Refusal } from "../../shell/answers.server";
import { useShell } from "../../shell/window";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";
import type { IdentityData } from "./page";

/** The signs a component is known by: pinned to it one by one, or split off as another component. */
export function KnownBy({ page, refusal }: { page: IdentityData; refusal: Refusal | undefined }) {
  const { window: now } = useShell();
  const busy = useNavigation().state !== "idle";
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const toggle = (key: string) =>
    setChosen((before) => new Set(before.has(key) ? [...before].filter((one) => one !== key) : [...before, key]));
  const some = page.keys.filter((one) => chosen.has(one.key));
  return (
    <Section title="Known by" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Of another</th>
            <th scope="col">Sign</th>
            <th scope="col">Pinned</th>
            <th scope="col">Actions</th>
          </tr>
        </thead>
        <tbody>
          {page.keys.map((one) => (
            <tr key={one.key}>
              <td>
                <Checkbox
                  size="small"
                  sx={{ p: 0.25 }}
                  checked={chosen.has(one.key)}
                  onChange={() => toggle(one.key)}
                  slotProps={{ input: { "aria-label": `${one.words} is of another component` } }}
                />
              </td>
              <td>{one.words}</td>
              <td>{one.pinnedBy === null ? "–" : `by ${one.pinnedBy}, ${dayAndTime(one.pinnedAt ?? 0, now.nowMs)}`}</td>
              <td>
                <Form method="post">
                  <input type="hidden" name="what" value="pin" />
                  <input type="hidden" name="key" value={one.key} />
                  <input type="hidden" name="on" value={one.pinnedBy === null ? "yes" : "no"} />
                  <RightButton
                    right="configure"
                    type="submit"
                    size="small"
                    disabled={busy}
                    aria-label={`${one.pinnedBy === null ? "Pin" : "Unpin"} ${one.words}`}
                  >
                    {one.pinnedBy === null ? "Pin" : "Unpin"}
                  </RightButton>
                </Form>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      <Form method="post" noValidate>
        <input type="hidden" name="what" value="split" />
        {some.map((one) => (
          <input key={one.key} type="hidden" name="key" value={one.key} />
        ))}
        <Stack direction="row" sx={{ gap: 1.5, p: 1.5, alignItems: "flex-start" }}>
          <TextField
            name="name"
            label="Name of the other"
            size="small"
            sx={{ width: 280 }}
            error={refusal?.fields?.name !== undefined || refusal?.fields?.keys !== undefined}
            helperText={
              refusal?.fields?.name ??
              refusal?.fields?.keys ??
              "What you choose above is pinned to it, whatever looks alike later."
            }
          />
          <RightButton right="configure" type="submit" variant="outlined" disabled={busy || some.length === 0}>
            {some.length ? `Split off by ${some.length} ${some.length === 1 ? "sign" : "signs"}` : "Split off"}
          </RightButton>
        </Stack>
      </Form>
    </Section>
  );
}
