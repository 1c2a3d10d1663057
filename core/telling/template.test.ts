import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { BARE, SAMPLE, SAMPLE_DIGEST, variablesOf } from "./facts";
import { READY_CHAT, readyMessage, TEMPLATE_KINDS } from "./ready-messages";
import {
  bodyProblem,
  cleanRich,
  fillIn,
  fillInBody,
  MOST_MESSAGE,
  templateProblems,
  type MessageTemplate,
} from "./template";

const template = (given: Partial<MessageTemplate> = {}): MessageTemplate => ({
  subject: "{{ incident.title }}",
  plain: "{{ incident.sentence }}",
  rich: "",
  headers: "",
  ...given,
});

describe("templates", () => {
  it.each(TEMPLATE_KINDS.map((one) => one.id))("the ready one for %s has nothing wrong with it", (id) => {
    expect(templateProblems(readyMessage(id), id)).toEqual({});
  });

  it.each([
    ["{{ incident.titel }}", "There is no variable “incident.titel”"],
    ["{{ nonsense }}", "There is no variable “nonsense”"],
    ["{% if incident.priority == 4 %}{{ incident.hidden }}{% endif %}", "“incident.hidden”"],
    ["{% for one in harm %}{{ one.sevrice }}{% endfor %}", "“one.sevrice”"],
    ["{{ incident.title | shout }}", "There is no filter “shout”"],
    ["{{ incident.title", "not closed"],
    ["{% if %}", "line 1"],
    ["{% include 'secret.key' %}", ""],
    ["{% render '/etc/passwd' %}", ""],
  ])("%s is refused when it is saved", (plain, words) => {
    const problem = templateProblems(template({ plain }), "opened").plain;
    expect(problem).toBeDefined();
    expect(problem).toContain(words);
  });

  it("says where the mistake is", () => {
    expect(templateProblems(template({ plain: "one\ntwo {{ harm | shout }}" }), "opened").plain).toContain("line 2");
  });

  it("leaves out what there is nothing to say of", () => {
    expect(
      fillIn(template({ plain: "[{{ cause.name }}{% for one in harm %}{{ one.service }}{% endfor %}]" }), BARE).plain,
    ).toBe("[]");
  });

  it("refuses a template that would make a megabyte, and one that never ends", () => {
    const loop = "{% for i in (1..100000) %}{{ incident.sentence }}{% endfor %}";
    expect(templateProblems(template({ plain: loop }), "opened").plain).toMatch(/too long/);
    const nested =
      "{% for a in (1..9999) %}{% for b in (1..9999) %}{% for c in (1..9999) %}x{% endfor %}{% endfor %}{% endfor %}";
    expect(templateProblems(template({ plain: nested }), "opened").plain).toBeDefined();
  });

  it("asks for a subject and a plain body", () => {
    expect(templateProblems(template({ subject: " ", plain: "" }), "opened")).toEqual({
      subject: expect.stringContaining("subject"),
      plain: expect.stringContaining("plain body"),
    });
  });

  it("lets headers be written that route, and none that would send it elsewhere", () => {
    expect(templateProblems(template({ headers: "X-Team: {{ incident.priority }}" }), "opened")).toEqual({});
    expect(templateProblems(template({ headers: "Bcc: someone@elsewhere.example" }), "opened").headers).toMatch(
      /no header/,
    );
    const facts = { ...SAMPLE, incident: { ...SAMPLE.incident, title: "a\r\nBcc: thief@elsewhere.example" } };
    const made = fillIn(template({ headers: "X-Title: {{ incident.title }}" }), facts);
    expect(made.subject).not.toMatch(/[\r\n]/);
    expect(made.headers.map((one) => one.name)).not.toContain("Bcc");
  });

  it("keeps what came from outside as text in the rich body", () => {
    const facts = { ...SAMPLE, incident: { ...SAMPLE.incident, title: '<img src=x onerror="alert(1)">' } };
    const { rich } = fillIn(template({ rich: "<p>{{ incident.title }}</p>" }), facts);
    expect(rich).toMatch(/^<p>&lt;img src=x onerror=.*&gt;<\/p>$/);
  });

  it("cleans the rich body of what runs or fetches", () => {
    expect(cleanRich('<p onclick="x()">a<script>alert(1)</script></p>')).toBe("<p>a</p>");
    expect(cleanRich('<img src="https://spy.example/a.png">')).not.toContain("spy");
    expect(cleanRich('<a href="javascript:alert(1)">a</a>')).not.toContain("javascript");
    expect(cleanRich('<img src="cid:chart-1" alt="x">')).toContain("cid:chart-1");
    expect(cleanRich('<div style="background:url(https://spy.example/a)">a</div>')).not.toContain("spy");
  });

  it("fills in whatever is said of an incident without failing (property)", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 200 }), fc.constantFrom(SAMPLE, BARE), (text, base) => {
        const facts = { ...base, incident: { ...base.incident, title: text, sentence: text } };
        const { subject, plain, rich } = fillIn(readyMessage("opened"), facts);
        expect(subject).not.toMatch(/\p{C}/u);
        expect(plain.length).toBeLessThanOrEqual(MOST_MESSAGE + 100);
        expect(rich).not.toMatch(/<script|<iframe|onerror=/i);
      }),
    );
  });

  it("makes digests", () => {
    expect(fillIn(readyMessage("digest"), SAMPLE_DIGEST).plain).toContain("4711");
  });
});

describe("bodies of chat webhooks", () => {
  it("the ready one is JSON whatever is said (property)", () => {
    expect(bodyProblem(READY_CHAT)).toBeUndefined();
    fc.assert(
      fc.property(fc.string({ unit: "binary" }), (title) => {
        const body = fillInBody(READY_CHAT, { ...SAMPLE, incident: { ...SAMPLE.incident, title } });
        expect((JSON.parse(body) as { text: string }).text).toBe(`Cause known: ${title}`);
      }),
    );
  });

  it("refuses what makes no JSON", () => {
    expect(bodyProblem('{ "text": {{ incident.title }} }')).toMatch(/no JSON/);
    expect(bodyProblem('{ "text": "{{ incident.titel }}" }')).toMatch(/incident.titel/);
  });
});

it("offers every variable with an example", () => {
  const paths = variablesOf(SAMPLE).map((one) => one.path);
  expect(paths).toContain("incident.title");
  expect(paths).toContain("harm[].service");
  expect(paths).toContain("links.take");
});
