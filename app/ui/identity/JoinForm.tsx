import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { ComponentPicker, type PickedComponent } from "../ComponentPicker";
import { KeepLink } from "../KeepLink";
import { RightButton } from "../RightButton";
import type { IdentityData } from "./page";

/** Makes another component one with this: one that says the same of itself, or any. */
export function JoinForm({ page }: { page: IdentityData }) {
  const busy = useNavigation().state !== "idle";
  const [other, setOther] = useState<PickedComponent | null>(null);
  return (
    <Stack sx={{ gap: 1.5 }}>
      {page.alike.map((one) => (
        <Typography key={one.id} variant="body2">
          <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink> has the same {one.facts.join(" and ")}, but more
          speaks for two machines than for one.
        </Typography>
      ))}
      <Form method="post">
        <input type="hidden" name="what" value="join" />
        <input type="hidden" name="other" value={other?.id ?? ""} />
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
          <ComponentPicker label="Another component" value={other} onPick={setOther} />
          <RightButton right="configure" type="submit" variant="outlined" disabled={busy || other === null}>
            {other ? `${other.name} is this one` : "Join"}
          </RightButton>
        </Stack>
      </Form>
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        The other one leaves the estate and its signs are pinned to this one. It can be split off again below.
      </Typography>
    </Stack>
  );
}
