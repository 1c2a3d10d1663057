import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Fragment, useEffect, useRef, useState } from "react";
import { Form, useFetcher, useNavigation } from "react-router";
import type { Answer } from "#server/pages/registry";
import { completed, suggestions, typedBefore } from "#core/telling/complete";
import type { MessageTemplate } from "#core/telling/template";
import type { Refusal } from "../../shell/answers.server";
import { MONO } from "../../theme/theme";
import { Caption, Section } from "../Page";
import { RightButton } from "../RightButton";
import { MailBody } from "./MailBody";

type Page = NonNullable<Answer<"template">>;
type Preview = { preview?: Answer<"templatePreview"> };

/** So long after the last key a preview is asked for. */
const PAUSE_MS = 350;

const PARTS = [
  { name: "subject", label: "Subject", rows: 1 },
  { name: "plain", label: "Plain body", rows: 10 },
  { name: "rich", label: "Rich body (HTML)", rows: 8 },
  { name: "headers", label: "Headers, one a line", rows: 3 },
] as const;
type PartName = (typeof PARTS)[number]["name"];

/** A message as it is written, beside what it makes of a real incident while one types. */
export function TemplateForm({
  page,
  refusal,
  tried,
}: {
  page: Page;
  refusal: Refusal | undefined;
  tried: { ok: boolean; answer: string } | undefined;
}) {
  const [draft, setDraft] = useState<MessageTemplate>(page.template);
  const [incident, setIncident] = useState(String(page.incidents[0]?.id ?? ""));
  const [part, setPart] = useState<PartName>("plain");
  const [typed, setTyped] = useState<string>();
  const boxes = useRef<Partial<Record<PartName, HTMLTextAreaElement | HTMLInputElement | null>>>({});
  const preview = usePreview(draft, incident);
  const problems = { ...refusal?.fields, ...preview?.problems };
  /** Puts a variable where the cursor is, in the place of what was typed of it. */
  const insert = (path: string) => {
    const box = boxes.current[part];
    const at = box?.selectionStart ?? draft[part].length;
    const isOpen = typedBefore(draft[part], at) !== undefined;
    const text = isOpen ? draft[part] : `${draft[part].slice(0, at)}{{${draft[part].slice(at)}`;
    const made = completed(text, isOpen ? at : at + 2, path);
    setDraft((now) => ({ ...now, [part]: made.text }));
    setTyped(undefined);
    requestAnimationFrame(() => {
      box?.focus();
      box?.setSelectionRange(made.at, made.at);
    });
  };
  return (
    <div className="hx-beside">
      <Section title="Template (Liquid)">
        <Form method="post" noValidate>
          <Stack sx={{ gap: 1.5 }}>
            {PARTS.map(({ name, label, rows }) => (
              <Fragment key={name}>
                <TextField
                  name={name}
                  label={label}
                  value={draft[name]}
                  onChange={({ target }) => {
                    setDraft((now) => ({ ...now, [name]: target.value }));
                    setTyped(typedBefore(target.value, target.selectionStart ?? target.value.length));
                  }}
                  onFocus={() => {
                    setPart(name);
                    setTyped(undefined);
                  }}
                  inputRef={(box: HTMLTextAreaElement | null) => {
                    boxes.current[name] = box;
                  }}
                  error={problems[name] !== undefined}
                  helperText={problems[name]}
                  fullWidth
                  {...(rows > 1 ? { multiline: true, minRows: Math.min(rows, 4), maxRows: rows } : {})}
                  slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: MONO, fontSize: "0.8rem" } } }}
                />
                {part === name && typed !== undefined ? (
                  <Offered variables={suggestions(page.variables, typed)} onChoose={insert} />
                ) : null}
              </Fragment>
            ))}
            <Actions page={page} />
            <p role="status" className="hx-small hx-flush">
              {tried ? `${tried.ok ? "Accepted" : "Not accepted"}. The mail server said: “${tried.answer}”` : ""}
            </p>
            <input type="hidden" name="incident" value={incident} />
          </Stack>
        </Form>
        <Variables variables={page.variables} onChoose={insert} part={part} />
      </Section>
      <Previewed page={page} preview={preview} incident={incident} onIncident={setIncident} />
    </div>
  );
}

function Previewed({
  page,
  preview,
  incident,
  onIncident,
}: {
  page: Page;
  preview: ReturnType<typeof usePreview>;
  incident: string;
  onIncident: (id: string) => void;
}) {
  return (
    <Section
      title="Preview"
      aside={
        isOfIncident(page) ? <IncidentChoice incidents={page.incidents} value={incident} onChange={onIncident} /> : null
      }
    >
      {preview?.message ? <Shown message={preview.message} /> : <PreviewState problems={preview?.problems} />}
    </Section>
  );
}

/** Digests and pages of a shift tell of many incidents, or of none. */
const isOfIncident = ({ id }: Page) => id !== "digest" && id !== "shift";

function Actions({ page }: { page: Page }) {
  const common = {
    right: "configure",
    type: "submit",
    name: "intent",
    disabled: useNavigation().state !== "idle",
  } as const;
  return (
    <Stack direction="row" sx={{ gap: 1 }}>
      <RightButton {...common} value="save" variant="contained">
        Save
      </RightButton>
      {isOfIncident(page) ? (
        <RightButton {...common} value="test" variant="outlined">
          Send it to me
        </RightButton>
      ) : null}
      {page.changedBy ? (
        <RightButton {...common} value="reset">
          Back to the ready message
        </RightButton>
      ) : null}
    </Stack>
  );
}

/** Of which incident the preview tells. */
function IncidentChoice({
  incidents,
  value,
  onChange,
}: {
  incidents: Page["incidents"];
  value: string;
  onChange: (id: string) => void;
}) {
  return (
    <label className="hx-caption">
      Incident{" "}
      <select
        className="hx-select"
        value={value}
        onChange={(event) => onChange(event.target.value)}
        style={{ maxWidth: 300 }}
      >
        <option value="">the made-up one</option>
        {incidents.map((one) => (
          <option key={one.id} value={String(one.id)}>{`${one.id} · ${one.title}`}</option>
        ))}
      </select>
    </label>
  );
}

/** What the draft makes of an incident, asked for when the keys rest. */
function usePreview(draft: MessageTemplate, incident: string): Answer<"templatePreview"> | undefined {
  const fetcher = useFetcher<Preview>();
  const { submit } = fetcher;
  useEffect(() => {
    const timer = setTimeout(
      () => void submit({ intent: "preview", ...draft, incident }, { method: "post" }),
      PAUSE_MS,
    );
    return () => clearTimeout(timer);
  }, [draft, incident, submit]);
  return fetcher.data?.preview;
}

function PreviewState({ problems }: { problems: Readonly<Record<string, string>> | undefined }) {
  const [first] = Object.values(problems ?? {});
  return <p className="hx-empty">{first ? `Nothing to show: ${first}` : "…"}</p>;
}

function Shown({ message }: { message: NonNullable<Answer<"templatePreview">["message"]> }) {
  const [isRich, setRich] = useState(true);
  return (
    <Stack sx={{ gap: 1 }}>
      <strong>{message.subject}</strong>
      {message.headers.length ? (
        <Caption>{message.headers.map((one) => `${one.name}: ${one.value}`).join(" · ")}</Caption>
      ) : null}
      <div className="hx-row">
        {(["Rich", "Plain"] as const).map((one) => (
          <button
            key={one}
            type="button"
            className="hx-word"
            aria-pressed={isRich === (one === "Rich")}
            onClick={() => setRich(one === "Rich")}
          >
            {one}
          </button>
        ))}
      </div>
      {isRich && message.rich ? (
        <MailBody html={message.rich} pictures={[]} title="Rich body" />
      ) : (
        <pre className="hx-mail-text">{message.plain}</pre>
      )}
    </Stack>
  );
}

/** Variables that may be meant, while one is being typed. */
function Offered({ variables, onChoose }: { variables: Page["variables"]; onChoose: (path: string) => void }) {
  return (
    <div role="group" aria-label="Variables that fit" className="hx-offered">
      {variables.length ? (
        variables.map((one) => (
          <button
            key={one.path}
            type="button"
            className="hx-word hx-mono"
            title={one.isList ? `list: ${one.example}` : one.example}
            onClick={() => onChoose(one.path)}
          >
            {one.path}
          </button>
        ))
      ) : (
        <span className="hx-caption">No variable has this name.</span>
      )}
    </div>
  );
}

/** Variables by what one types of their name; a click puts one where the cursor is. */
function Variables({
  variables,
  onChoose,
  part,
}: {
  variables: Page["variables"];
  onChoose: (path: string) => void;
  part: string;
}) {
  const [words, setWords] = useState("");
  const shown = variables.filter((one) => one.path.toLowerCase().includes(words.toLowerCase())).slice(0, 60);
  return (
    <details className="hx-variables">
      <summary>Variables</summary>
      <TextField
        size="small"
        label="Find a variable"
        type="search"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        sx={{ my: 1, width: 260 }}
      />
      <ul className="hx-plain-list">
        {shown.map((one) => (
          <li key={one.path}>
            <button
              type="button"
              className="hx-word hx-mono"
              title={`Put into the ${part}`}
              onClick={() => onChoose(one.path.replaceAll("[].", "[0]."))}
            >
              {one.path}
            </button>{" "}
            <span className="hx-caption">{one.isList ? `list: ${one.example}` : one.example.slice(0, 60)}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}
