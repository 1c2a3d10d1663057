import type { Proof, RunState, StepState } from "#core/repair/runbook";

interface Word {
  sign: string;
  word: string;
  colour: string;
}

const QUIET = "var(--mui-palette-text-secondary)";
const PLAIN = "var(--mui-palette-text-primary)";
const WORDS: Readonly<Record<RunState | StepState, Word>> = {
  waiting: { sign: "·", word: "waiting", colour: QUIET },
  running: { sign: "▸", word: "running", colour: "var(--mui-palette-primary-main)" },
  asking: { sign: "?", word: "asks for approval", colour: "var(--mui-palette-primary-main)" },
  passed: { sign: "✓", word: "done", colour: PLAIN },
  failed: { sign: "✕", word: "failed", colour: "var(--hx-critical)" },
  borne: { sign: "✕", word: "failed, went on", colour: "var(--hx-minor)" },
  stopped: { sign: "■", word: "stopped", colour: "var(--hx-minor)" },
  skipped: { sign: "–", word: "left out", colour: QUIET },
  unknown: { sign: "?", word: "not known", colour: "var(--hx-major)" },
};

const PROOFS: Readonly<Record<Proof, Word>> = {
  watching: { sign: "▸", word: "being proved", colour: "var(--mui-palette-primary-main)" },
  proved: { sign: "✓", word: "proved", colour: PLAIN },
  eased: { sign: "↘", word: "eased", colour: PLAIN },
  "no effect": { sign: "=", word: "no effect", colour: "var(--hx-minor)" },
  worse: { sign: "↗", word: "worse", colour: "var(--hx-critical)" },
  "not measured": { sign: "·", word: "not measured", colour: QUIET },
};

function Said({ one: { sign, word, colour } }: { one: Word }) {
  return (
    <span style={{ color: colour, fontWeight: 600, whiteSpace: "nowrap" }}>
      <span aria-hidden="true">{sign} </span>
      {word}
    </span>
  );
}

export const RunStateWord = ({ state }: { state: RunState | StepState }) => <Said one={WORDS[state]} />;
export const ProofWord = ({ proof }: { proof: Proof }) => <Said one={PROOFS[proof]} />;
