import { Liquid, type Template } from "liquidjs";
// oxlint-disable-next-line import/default -- Node gives a CommonJS package as the default.
import xss from "xss";
import { BARE, SAMPLE, SAMPLE_DIGEST, SAMPLE_SHIFT, type AnyFacts, type MessageFacts } from "./facts";

/** A message as people write it, in Liquid. */
export interface MessageTemplate {
  subject: string;
  plain: string;
  rich: string;
  /** Further headers, one a line: X-Priority: 1 */
  headers: string;
}

/** A message as it is sent. */
export interface Message {
  subject: string;
  plain: string;
  rich: string;
  headers: { name: string; value: string }[];
}

export const MOST_TEMPLATE = 40_000;
/** A message has at most so many characters in each of its bodies. */
export const MOST_MESSAGE = 200_000;
const MOST_SUBJECT = 240;

const LIMITS = { parseLimit: MOST_TEMPLATE, renderLimit: 500, memoryLimit: 2_000_000 };
/** No template reads a file or another template. */
const CLOSED = { relativeReference: false, dynamicPartials: false, templates: {} } as const;
const STRICT = { strictVariables: true, strictFilters: true, ownPropertyOnly: true, ...LIMITS, ...CLOSED } as const;
const plainEngine = new Liquid(STRICT);
/** What came from outside is text, whatever it says. */
const richEngine = new Liquid({ ...STRICT, outputEscape: "escape" });
const jsonEngine = new Liquid({ ...STRICT, outputEscape: (value: unknown) => jsonText(value) });

/** A value as it stands between the quotes of a JSON text. */
const jsonText = (value: unknown) =>
  JSON.stringify(value === undefined || value === null ? "" : String(value)).slice(1, -1);

const { FilterXSS, safeAttrValue } = xss as unknown as typeof import("xss");

const ALLOWED = {
  whiteList: Object.fromEntries([
    ...[
      "p",
      "br",
      "hr",
      "b",
      "strong",
      "i",
      "em",
      "u",
      "s",
      "small",
      "h1",
      "h2",
      "h3",
      "h4",
      "ul",
      "ol",
      "li",
      "pre",
      "code",
    ].map((tag) => [tag, ["style"]]),
    ...["div", "span", "table", "thead", "tbody", "tr", "blockquote"].map((tag) => [tag, ["style"]]),
    ...["td", "th"].map((tag) => [tag, ["style", "align", "colspan", "rowspan"]]),
    ["a", ["href", "style"]],
    ["img", ["src", "alt", "width", "height", "style"]],
  ]) as Record<string, string[]>,
  stripIgnoreTag: true,
  stripIgnoreTagBody: ["script", "style", "iframe", "object"],
  safeAttrValue: (tag: string, name: string, value: string, css: unknown) => {
    // Pictures of the message itself only: one that is fetched tells who reads it.
    if (tag === "img" && name === "src") return /^cid:[\w-]+$/.test(value) ? value : "";
    if (tag === "a" && name === "href" && !/^(https?:|mailto:|#)/i.test(value.trim())) return "";
    // Nothing is fetched by a style either, and nothing is laid over the reader's page.
    if (name === "style" && /url|expression|import|position|[\\@]/i.test(value)) return "";
    return safeAttrValue(tag, name, value, css as never);
  },
};
const cleaner = new FilterXSS(ALLOWED);

/** Rich text with what could do harm taken out. */
export const cleanRich = (text: string): string => cleaner.process(text);

/** What went wrong with a template, by its part, as a sentence each. */
export type TemplateProblems = Partial<Record<keyof MessageTemplate, string>>;

const wordOf = (error: unknown): string => {
  const { message = String(error), originalError } = error as { message?: string; originalError?: Error };
  const text = (originalError?.message ?? message).split("\n")[0] ?? "";
  const place = /line:(\d+), col:(\d+)/.exec(message);
  const at = place ? ` (line ${place[1]}, column ${place[2]})` : "";
  const unknown = /undefined variable: (\S+?)(?:,|$)/.exec(text)?.[1];
  if (unknown) return `There is no variable “${unknown}”${at}.`;
  const filter = /undefined filter: (\S+?)(?:,|$)/.exec(text)?.[1];
  if (filter) return `There is no filter “${filter}”${at}.`;
  if (/limit exceeded/.test(text)) return "The template would make a message that is far too long.";
  return `${text.replace(/, line:.*$/, "").replace(/^./, (first) => first.toUpperCase())}${at}.`;
};

/** Variables that a template names and no message has. */
function unknownIn(engine: Liquid, parsed: Template[], sample: object): string | undefined {
  for (const segments of engine.globalVariableSegmentsSync(parsed)) {
    let here: unknown = sample;
    const path: string[] = [];
    for (const segment of segments) {
      if (typeof segment === "object" || Array.isArray(here)) break;
      path.push(String(segment));
      if (typeof here === "string" || here === null || !(segment in (here as object))) {
        // The size of a text or a list is always there.
        if (segment === "size" || segment === "first" || segment === "last") break;
        return path.join(".");
      }
      here = (here as Record<string, unknown>)[segment];
    }
  }
  return undefined;
}

function tried(engine: Liquid, text: string, samples: readonly object[]): string | undefined {
  if (text.length > MOST_TEMPLATE) return `A template has at most ${MOST_TEMPLATE.toLocaleString("en-GB")} characters.`;
  try {
    const parsed = engine.parse(text);
    const unknown = unknownIn(engine, parsed, samples[0] ?? {});
    if (unknown) return `There is no variable “${unknown}”.`;
    for (const sample of samples) {
      const made = String(engine.renderSync(parsed, sample));
      if (made.length > MOST_MESSAGE) return "The template would make a message that is far too long.";
    }
    return undefined;
  } catch (error) {
    return wordOf(error);
  }
}

const HEADER = /^(X-[A-Za-z0-9-]{1,60}|Importance|Priority|Reply-To|List-Id|Auto-Submitted|Keywords)$/i;

function headersOf(text: string): { name: string; value: string }[] | string {
  const lines = text.split(/\r?\n/).filter((line) => line.trim() !== "");
  if (lines.length > 20) return "At most 20 headers.";
  const headers: { name: string; value: string }[] = [];
  for (const line of lines) {
    const at = line.indexOf(":");
    const name = line.slice(0, at).trim();
    if (at < 1 || !HEADER.test(name))
      return `“${line.slice(0, 40)}” is no header that a message may have. Use names that begin with X-, or Importance, Priority, Reply-To, List-Id, Keywords.`;
    headers.push({
      name,
      value: line
        .slice(at + 1)
        .trim()
        .replaceAll(/[^\P{C}]/gu, "")
        .slice(0, 900),
    });
  }
  return headers;
}

/** What the templates of a kind are tried on: with much and with little to tell. */
function samplesOf(kind: "incident" | "digest" | "shift"): readonly object[] {
  switch (kind) {
    case "digest":
      return [SAMPLE_DIGEST, { ...SAMPLE_DIGEST, incidents: [] }];
    case "shift":
      return [SAMPLE_SHIFT, { ...SAMPLE_SHIFT, open: [], came_in: [], done: [], planned: [], comes_on: [] }];
    case "incident":
      return [
        SAMPLE,
        BARE,
        {
          ...SAMPLE,
          incident: { ...SAMPLE.incident, state: "resolved", resolved: "06:31 UTC", priority: 1, severity: "cleared" },
        },
      ];
  }
}

/** Which kind of facts the templates of an occasion are filled in with. */
export const kindOfTemplate = (occasion: string): "incident" | "digest" | "shift" =>
  occasion === "digest" || occasion === "shift" ? occasion : "incident";

/** Everything that is wrong with the template of an occasion; empty where nothing is. */
export function templateProblems(template: MessageTemplate, occasion: string): TemplateProblems {
  const samples = samplesOf(kindOfTemplate(occasion));
  const problems: TemplateProblems = {};
  for (const part of ["subject", "plain", "headers"] as const) {
    const problem = tried(plainEngine, template[part], samples);
    if (problem) problems[part] = problem;
  }
  const rich = tried(richEngine, template.rich, samples);
  if (rich) problems.rich = rich;
  if (template.subject.trim() === "") problems.subject ??= "A message needs a subject.";
  if (template.plain.trim() === "") problems.plain ??= "A message needs a plain body: not everybody reads rich text.";
  if (!problems.headers) {
    const headers = headersOf(String(plainEngine.parseAndRenderSync(template.headers, samples[0] as object)));
    if (typeof headers === "string") problems.headers = headers;
  }
  return problems;
}

const cut = (text: string) =>
  text.length > MOST_MESSAGE ? `${text.slice(0, MOST_MESSAGE)}\n… cut: the message would be too long.` : text;

/** Fills a template in. Throws when it cannot be: it was tried when it was saved. */
export function fillIn(template: MessageTemplate, facts: AnyFacts): Message {
  const plain = (text: string) => String(plainEngine.parseAndRenderSync(text, facts as object));
  const headers = headersOf(plain(template.headers));
  return {
    subject: plain(template.subject)
      .replaceAll(/[\s\p{C}]+/gu, " ")
      .trim()
      .slice(0, MOST_SUBJECT),
    plain: cut(plain(template.plain).replaceAll(/\n{3,}/g, "\n\n")),
    rich:
      template.rich.trim() === ""
        ? ""
        : cleanRich(cut(String(richEngine.parseAndRenderSync(template.rich, facts as object)))),
    headers: typeof headers === "string" ? [] : headers,
  };
}

/** What is wrong with the template of a JSON body; undefined where nothing is. */
export function bodyProblem(text: string): string | undefined {
  const problem = tried(jsonEngine, text, [SAMPLE, BARE]);
  if (problem) return problem;
  for (const sample of [SAMPLE, BARE])
    try {
      JSON.parse(String(jsonEngine.parseAndRenderSync(text, sample)));
    } catch (error) {
      return `What the template makes is no JSON: ${error instanceof Error ? error.message : String(error)}.`;
    }
  return undefined;
}

/** The body of a JSON message; values are written so that they cannot end the text they stand in. */
export const fillInBody = (text: string, facts: MessageFacts): string =>
  String(jsonEngine.parseAndRenderSync(text, facts as object));
