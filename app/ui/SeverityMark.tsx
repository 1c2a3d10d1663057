import type { Severity } from "#core/alarms/severity";

/** Numeral of a severity: 1 is the worst. */
const NUMERAL: Readonly<Record<Severity, string>> = {
  critical: "1",
  major: "2",
  minor: "3",
  warning: "4",
  indeterminate: "5",
  cleared: "",
};

/** Outlines on a 20 by 20 field; every severity has its own, so that a grey print still tells them apart. */
const OUTLINE: Readonly<Record<Exclude<Severity, "cleared">, string>> = {
  // A kite pointing right, like a pennant run up.
  critical: "M1 3 H9 L19 10 L9 17 H1 L4 10 Z",
  major: "M3 2 H17 V18 H3 Z",
  minor: "M4 2 H16 L18 10 L16 18 H4 L2 10 Z",
  warning: "M10 1 L19 10 L10 19 L1 10 Z",
  indeterminate: "M10 2 A8 8 0 1 1 9.99 2 Z",
};

const FILLED: ReadonlySet<Severity> = new Set<Severity>(["critical", "major"]);

export const severityColour = (severity: Severity) => `var(--hx-${severity})`;

/** The one status mark of the product: shape, numeral and colour. Well things get a short grey dash. */
export function SeverityMark({ severity, size = 18, label }: { severity: Severity; size?: number; label?: string }) {
  const name = label ?? (severity === "cleared" ? "well" : severity);
  // Beside its word the mark is a drawing only.
  const spoken = name === "" ? ({ "aria-hidden": true } as const) : ({ role: "img", "aria-label": name } as const);
  const colour = severityColour(severity);
  if (severity === "cleared")
    return (
      <svg width={size} height={size} viewBox="0 0 20 20" {...spoken} className="hx-mark-of">
        <path d="M6 10 H14" stroke={colour} strokeWidth="2" strokeLinecap="round" opacity="0.7" />
      </svg>
    );
  const filled = FILLED.has(severity);
  return (
    <svg width={size} height={size} viewBox="0 0 20 20" {...spoken} className="hx-mark-of">
      <path
        d={OUTLINE[severity]}
        fill={filled ? colour : "none"}
        stroke={colour}
        strokeWidth={filled ? 1 : 1.8}
        strokeLinejoin="round"
        strokeDasharray={severity === "indeterminate" ? "3 2" : undefined}
      />
      <text
        x={severity === "critical" ? 9 : 10}
        y="14"
        textAnchor="middle"
        fontSize="11"
        fontWeight="700"
        fill={filled ? "var(--hx-on-severity)" : colour}
        fontFamily="inherit"
        aria-hidden="true"
      >
        {NUMERAL[severity]}
      </text>
    </svg>
  );
}

/** Mark and word together; what is well has the dash of its mark from the sheet, for there are hundreds of them. */
export function SeverityLabel({ severity }: { severity: Severity }) {
  if (severity === "cleared") return <span className="hx-severity hx-well">well</span>;
  return (
    <span className="hx-severity">
      <SeverityMark severity={severity} size={16} label="" />
      <span className="hx-strong" style={{ color: severityColour(severity) }}>
        {severity}
      </span>
    </span>
  );
}
