import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import { Form } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { MONO } from "../../theme/theme";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { RightButton } from "../RightButton";

type Page = NonNullable<Answer<"runbook">>;

/** Versions with what each changed; a draft is approved by a second person. */
export function Versions({ page }: { page: Page }) {
  const { window: now } = useShell();
  return (
    <Section title="Versions" aside={<a href={`/runbooks/${page.runbook.id}/runbook.yaml`}>As a file</a>}>
      <Stack component="ol" sx={{ gap: 1, m: 0, p: 0, listStyle: "none" }}>
        {page.versions.map((one) => (
          <li key={one.version}>
            <Stack direction="row" sx={{ gap: 1, alignItems: "center", flexWrap: "wrap" }}>
              <KeepLink to={`/runbooks/${page.runbook.id}?version=${one.version}`}>{`Version ${one.version}`}</KeepLink>
              <strong>{one.state}</strong>
              <span className="hx-caption">
                {one.made_by === "kit" ? "comes with a kit" : one.made_by}, {dayAndTime(one.made_at, now.nowMs, true)}
                {one.approved_by && one.approved_by !== "kit" ? `; approved by ${one.approved_by}` : ""}
                {one.remark ? `; ${one.remark}` : ""}
              </span>
              {one.state === "approved" ? null : (
                <Form method="post">
                  <input type="hidden" name="version" value={one.version} />
                  <RightButton right="configure" type="submit" name="intent" value="approve" variant="outlined">
                    Approve version {one.version}
                  </RightButton>
                </Form>
              )}
            </Stack>
            {one.difference.length ? (
              <details>
                <summary>What changed</summary>
                <Box
                  component="pre"
                  sx={{ m: 0, fontFamily: MONO, fontSize: "0.78rem", overflowX: "auto" }}
                  tabIndex={0}
                >
                  {one.difference.join("\n")}
                </Box>
              </details>
            ) : null}
          </li>
        ))}
      </Stack>
    </Section>
  );
}
