import type { Severity } from "../alarms/severity";

/** Colours of one theme. Contrast of text and marks against their ground is checked in tokens.test.ts (WCAG 2.2 AA). */
export interface Tokens {
  ground: string;
  surface: string;
  raised: string;
  line: string;
  text: string;
  quiet: string;
  accent: string;
  onAccent: string;
  past: string;
  pastGround: string;
  chartLine: string;
  chartEnvelope: string;
  /** The edge of the envelope: what keeps an extreme one point wide in sight. */
  chartEdge: string;
  usual: string;
  /** The ground of what is usual, behind a line. */
  band: string;
  /** Lines that are drawn together, told apart by their dashes too. */
  lines: readonly string[];
  severity: Record<Severity, string>;
  onSeverity: string;
}

export const DAY: Tokens = {
  ground: "#f4f1ea",
  surface: "#fffdf9",
  raised: "#ebe6db",
  line: "#d3ccbd",
  text: "#1d2326",
  quiet: "#5a5f5c",
  accent: "#0e5a5e",
  onAccent: "#ffffff",
  past: "#6b3a8f",
  pastGround: "#f0e6f6",
  chartLine: "#2c4a52",
  chartEnvelope: "rgba(44, 74, 82, 0.16)",
  chartEdge: "rgba(44, 74, 82, 0.45)",
  usual: "#857d6c",
  band: "rgba(133, 125, 108, 0.16)",
  lines: ["#0e5a5e", "#b04500", "#6b3a8f", "#2f5d8c", "#735c00", "#9c2f5f", "#3f6b2e", "#5a5f5c"],
  severity: {
    critical: "#a3123c",
    major: "#b04500",
    minor: "#735c00",
    warning: "#2f5d8c",
    indeterminate: "#665f70",
    cleared: "#6a6e6a",
  },
  onSeverity: "#ffffff",
};

export const NIGHT: Tokens = {
  ground: "#121719",
  surface: "#1a2123",
  raised: "#242d30",
  line: "#384347",
  text: "#e7e9e4",
  quiet: "#a5ada9",
  accent: "#7cc9c1",
  onAccent: "#0b2426",
  past: "#c9a3e6",
  pastGround: "#2a2033",
  chartLine: "#a9c9cd",
  chartEnvelope: "rgba(169, 201, 205, 0.2)",
  chartEdge: "rgba(169, 201, 205, 0.5)",
  usual: "#8f8a7c",
  band: "rgba(143, 138, 124, 0.2)",
  lines: ["#7cc9c1", "#ff9d5c", "#c9a3e6", "#8fbbea", "#dfc04e", "#f08fb5", "#a5cf8a", "#a5ada9"],
  severity: {
    critical: "#ff7d98",
    major: "#ff9d5c",
    minor: "#dfc04e",
    warning: "#8fbbea",
    indeterminate: "#b9b1c4",
    cleared: "#98a09b",
  },
  onSeverity: "#14181a",
};

export const tokensOf = (mode: string | undefined): Tokens => (mode === "dark" ? NIGHT : DAY);
