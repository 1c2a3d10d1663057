import Box from "@mui/material/Box";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { MONO } from "../../theme/theme";
import { LogLevelWord } from "./LogLevelWord";
import { PlainTable } from "../PlainTable";

/** Patterns with how often and when they came; those not seen in the week before stand first. */
export function LogPatterns({
  patterns,
  onOpen,
}: {
  patterns: Answer<"logs">["patterns"];
  onOpen: (id: number) => void;
}) {
  const { window: now } = useShell();
  return (
    <Box sx={{ minWidth: 0, bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1 }}>
      <PlainTable aria-label="Log patterns">
        <thead>
          <tr>
            <th scope="col">Pattern</th>
            <th scope="col">Worst</th>
            <th scope="col" className="num">
              Records
            </th>
            <th scope="col" style={{ width: 120 }}>
              When
            </th>
            <th scope="col">First seen</th>
            <th scope="col">Source</th>
          </tr>
        </thead>
        <tbody>
          {patterns.map((one) => (
            <tr key={one.id}>
              <td style={{ overflowWrap: "anywhere" }}>
                <Box
                  component="button"
                  type="button"
                  onClick={() => onOpen(one.id)}
                  sx={{
                    all: "unset",
                    cursor: "pointer",
                    fontFamily: MONO,
                    fontSize: "0.8rem",
                    "&:hover": { textDecoration: "underline" },
                    "&:focus-visible": { outline: "2px solid var(--mui-palette-primary-main)" },
                  }}
                >
                  {one.text || "(empty)"}
                </Box>
                {one.isNew ? (
                  <strong style={{ display: "block", color: "var(--mui-palette-secondary-main)" }}>
                    new this week
                  </strong>
                ) : null}
              </td>
              <td>
                <LogLevelWord level={one.level} />
              </td>
              <td className="num">{one.count.toLocaleString("en-GB")}</td>
              <td>
                <Sparks values={one.sparks} />
              </td>
              <td className="line">{dayAndTime(one.firstMs, now.nowMs)}</td>
              <td
                style={{ maxWidth: 190, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
                title={one.senders.join(", ")}
              >
                {one.senders.length > 1 ? `${one.senders[0]} and ${one.senders.length - 1} more` : one.senders[0]}
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Box>
  );
}

function Sparks({ values }: { values: readonly number[] }) {
  const most = Math.max(1, ...values);
  return (
    <svg width={values.length * 3.5} height="20" aria-hidden="true" style={{ display: "block" }}>
      {values.map((value, index) =>
        value ? (
          <rect
            key={index}
            x={index * 3.5}
            y={20 - Math.max(1.5, (value / most) * 19)}
            width="2.8"
            height={Math.max(1.5, (value / most) * 19)}
            fill="var(--hx-chart)"
          />
        ) : null,
      )}
    </svg>
  );
}
