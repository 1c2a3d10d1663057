import Alert from "@mui/material/Alert";
import type { ReactNode } from "react";
import type { Severity } from "#core/alarms/severity";
import { SeverityMark } from "./SeverityMark";

// These stand on every page many times over: plain elements, their looks in `theme/plain.ts`.

/** The head of every page: one sentence that says the state, then what can be done. */
export function PageHead({
  name,
  sentence,
  severity,
  actions,
}: {
  name: string;
  sentence: ReactNode;
  severity?: Severity;
  actions?: ReactNode;
}) {
  return (
    <div className="hx-head">
      <div>
        <p className="hx-caption hx-head-name">{name}</p>
        <h1>
          {severity ? <SeverityMark severity={severity} size={24} /> : null}
          <span>{sentence}</span>
        </h1>
      </div>
      {actions ? <div className="hx-head-actions">{actions}</div> : null}
    </div>
  );
}

/** A framed part of a page with a heading of its own. */
export function Section({
  title,
  aside,
  children,
  pad = true,
  id,
}: {
  title: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
  pad?: boolean;
  id?: string;
}) {
  return (
    <section className="hx-section" id={id}>
      <div className="hx-section-head">
        <h2>{title}</h2>
        {aside}
      </div>
      <div className={pad ? "hx-pad" : undefined}>{children}</div>
    </section>
  );
}

/** What an empty part says: why, and what to do next. */
export function Empty({ children }: { children: ReactNode }) {
  return <p className="hx-empty">{children}</p>;
}

/** A sentence that says what is wrong and what to do. */
export function Problem({ children }: { children: ReactNode }) {
  return children ? (
    <Alert severity="error" variant="outlined" icon={false} role="alert" sx={{ py: 0, mb: 1.5, color: "text.primary" }}>
      {children}
    </Alert>
  ) : null;
}

/** A figure with its name above it. */
export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div className="hx-fact">
      <dt>{name}</dt>
      <dd>{children}</dd>
    </div>
  );
}

/** Small text beneath or beside the main one. */
export function Caption({ children }: { children: ReactNode }) {
  return <p className="hx-caption">{children}</p>;
}

/** Things beside each other, centred on one line. */
export function Row({ children }: { children: ReactNode }) {
  return <div className="hx-row">{children}</div>;
}

/** A button that looks like words, for rows of a table: a plain element. */
export function WordButton({
  children,
  onClick,
  expanded,
  mono = false,
}: {
  children: ReactNode;
  onClick: () => void;
  expanded?: boolean;
  mono?: boolean;
}) {
  return (
    <button
      type="button"
      className={mono ? "hx-word hx-mono" : "hx-word"}
      onClick={onClick}
      {...(expanded === undefined ? {} : { "aria-expanded": expanded })}
    >
      {children}
    </button>
  );
}
