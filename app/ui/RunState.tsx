import type { RunState, StepState } from "#core/repair/runbook";

const WORDS: Readonly<Record<RunState | StepState, { sign: string; word: string; colour: string }>> = {
  waiting: { sign: "·", word: "waiting", colour: "var(--mui-palette-text-secondary)" },
  running: { sign: "▸", word: "running", colour: "var(--mui-palette-primary-main)" },
  passed: { sign: "✓", word: "done", colour: "var(--mui-palette-text-primary)" },
  failed: { sign: "✕", word: "failed", colour: "var(--hx-critical)" },
  stopped: { sign: "■", word: "stopped", colour: "var(--hx-minor)" },
  skipped: { sign: "–", word: "skipped", colour: "var(--mui-palette-text-secondary)" },
};

export function RunStateWord({ state }: { state: RunState | StepState }) {
  const { sign, word, colour } = WORDS[state];
  return (
    <span style={{ color: colour, fontWeight: 600, whiteSpace: "nowrap" }}>
      <span aria-hidden="true">{sign} </span>
      {word}
    </span>
  );
}
