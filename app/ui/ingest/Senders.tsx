import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form } from "react-router";
import { spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { ComponentPicker, type PickedComponent } from "../ComponentPicker";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

const whole = (value: number) => value.toLocaleString("en-GB");

type Resource = Answer<"signalsSetup">["named"][number];

/** Who sends signals: what each says of itself, whom that names and why. */
export function Senders({
  rows,
  nowMs,
  onChoose,
}: {
  rows: readonly Resource[];
  nowMs: number;
  onChoose?: (id: number) => void;
}) {
  return (
    <Box
      sx={{ maxHeight: 360, overflow: "auto" }}
      tabIndex={0}
      role="region"
      aria-label={onChoose ? "Unmatched senders" : "Matched senders"}
    >
      <PlainTable pinned>
        <thead>
          <tr>
            <th scope="col">Attributes</th>
            <th scope="col">{onChoose ? "Reason" : "Matched to, by"}</th>
            <th scope="col" className="num">
              Series
            </th>
            <th scope="col" className="num">
              Records per day
            </th>
            <th scope="col">Last report</th>
            {onChoose ? <th scope="col">Actions</th> : null}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id}>
              <td style={{ overflowWrap: "anywhere" }}>
                {row.attributes.map((one) => `${one.name} ${one.value}`).join(", ") || "nothing"}
              </td>
              <td>
                {row.componentId === null ? null : (
                  <>
                    <KeepLink to={`/estate/${row.componentId}`}>{row.component}</KeepLink>:{" "}
                  </>
                )}
                {row.why}
              </td>
              <td className="num">{whole(row.series)}</td>
              <td className="num">{whole(row.records)}</td>
              <td className="line">{spokenDuration(nowMs - row.lastMs)} ago</td>
              {onChoose ? (
                <td>
                  <RightButton
                    right="configure"
                    variant="outlined"
                    onClick={() => onChoose(row.id)}
                    aria-label={`Match ${row.attributes[0]?.value ?? "it"}`}
                  >
                    Match
                  </RightButton>
                </td>
              ) : null}
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Box>
  );
}

/** Makes a rule of one attribute of a sender that nobody fits. */
export function RuleForm({
  attributes,
  onDone,
}: {
  attributes: readonly { name: string; value: string }[];
  onDone: () => void;
}) {
  const [attribute, setAttribute] = useState(
    attributes.find((one) => one.name === "service.name")?.name ?? attributes[0]?.name ?? "",
  );
  const [component, setComponent] = useState<PickedComponent | null>(null);
  return (
    <Section title="New matching rule">
      <Form method="post" onSubmit={onDone}>
        <input type="hidden" name="what" value="rule" />
        <input type="hidden" name="componentId" value={component?.id ?? 0} />
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
          <TextField
            select
            name="attribute"
            label="Senders whose"
            value={attribute}
            onChange={(event) => setAttribute(event.target.value)}
            sx={{ width: 200 }}
          >
            {attributes.map((one) => (
              <MenuItem key={one.name} value={one.name}>
                {one.name}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            key={attribute}
            name="pattern"
            label="matches"
            defaultValue={attributes.find((one) => one.name === attribute)?.value ?? ""}
            sx={{ width: 260 }}
          />
          <ComponentPicker label="belong to" value={component} onPick={setComponent} />
          <RightButton right="configure" type="submit" variant="contained">
            Save rule
          </RightButton>
          <Button onClick={onDone}>Cancel</Button>
        </Stack>
      </Form>
    </Section>
  );
}
