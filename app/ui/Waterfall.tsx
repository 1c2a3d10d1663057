import { Fragment, useState } from "react";
import { formatValue } from "#core/units/format";
import type { DrawnSpan } from "#server/pages/traces";
import { KeepLink } from "./KeepLink";
import { Fact } from "./Page";

/** The spans of a trace from the top down, each as long as it took; one can be opened for its attributes and events. */
export function Waterfall({ spans, narrow = false }: { spans: readonly DrawnSpan[]; narrow?: boolean }) {
  const [open, setOpen] = useState<string | null>(null);
  const startMs = Math.min(...spans.map((span) => span.startMs));
  const lengthMs = Math.max(0.001, Math.max(...spans.map((span) => span.startMs + span.durationMs)) - startMs);
  return (
    <ol aria-label="Spans" className={narrow ? "hx-plain-list hx-spans hx-narrow" : "hx-plain-list hx-spans"}>
      {spans.map((span) => (
        <Fragment key={span.id}>
          <SpanRow
            span={span}
            narrow={narrow}
            left={((span.startMs - startMs) / lengthMs) * 100}
            width={Math.max(0.3, (span.durationMs / lengthMs) * 100)}
            open={open === span.id}
            onToggle={() => setOpen(open === span.id ? null : span.id)}
          />
          {open === span.id ? <OpenedSpan span={span} narrow={narrow} /> : null}
        </Fragment>
      ))}
    </ol>
  );
}

function SpanRow({
  span,
  narrow,
  left,
  width,
  open,
  onToggle,
}: {
  span: DrawnSpan;
  narrow: boolean;
  /** Place and length of its bar, percent. */
  left: number;
  width: number;
  open: boolean;
  onToggle: () => void;
}) {
  const answered = span.kind === "answered";
  return (
    <li className="hx-span">
      <button
        type="button"
        aria-expanded={open}
        onClick={onToggle}
        title={`${span.name} at ${span.sender}, ${span.kind}`}
        style={{ paddingLeft: 8 + span.depth * (narrow ? 8 : 14) }}
      >
        <span style={{ fontWeight: answered ? 600 : 400, color: span.failed ? "var(--hx-major)" : "inherit" }}>
          {span.failed ? "✕ " : ""}
          {span.name}
        </span>
        <span className="hx-quiet"> {span.senderLabel}</span>
      </button>
      <span aria-hidden="true" className="hx-span-bar">
        <i
          style={{
            top: answered ? 1 : 4,
            bottom: answered ? 1 : 4,
            left: `${left}%`,
            width: `${Math.min(width, 100 - left)}%`,
            background: span.failed ? "var(--hx-major)" : "var(--hx-chart)",
            opacity: answered ? 0.85 : 0.45,
          }}
        />
      </span>
      <span className="hx-span-took">{formatValue(span.durationMs, "ms")}</span>
    </li>
  );
}

function OpenedSpan({ span, narrow }: { span: DrawnSpan; narrow: boolean }) {
  return (
    <li className="hx-span-opened">
      <dl style={{ gridTemplateColumns: `repeat(${narrow ? 2 : 4}, minmax(0, 1fr))` }}>
        <Fact name="Component">
          {span.componentId === null ? (
            span.sender
          ) : (
            <KeepLink to={`/estate/${span.componentId}`}>{span.sender}</KeepLink>
          )}
        </Fact>
        <Fact name="Kind">{span.kind}</Fact>
        <Fact name="Self time">{formatValue(span.ownMs, "ms")}</Fact>
        {span.message ? <Fact name="Error">{span.message}</Fact> : null}
        {span.attributes.map((one) => (
          <Fact key={one.name} name={one.name}>
            {one.value}
          </Fact>
        ))}
        {span.events.map((event) => (
          <Fact
            key={`${event.atMs}${event.name}`}
            name={`${event.name} after ${formatValue(event.atMs - span.startMs, "ms")}`}
          >
            {event.text}
          </Fact>
        ))}
        {span.links.map((link, index) => (
          <Fact key={`${link.traceId}${index}`} name="Linked trace">
            <KeepLink to={`/signals/traces/${link.traceId}`}>{link.traceId.slice(0, 12)}…</KeepLink> {link.text}
          </Fact>
        ))}
        {span.traceState ? <Fact name="Trace state">{span.traceState}</Fact> : null}
      </dl>
    </li>
  );
}
