import { describe, expect, it } from "vitest";
import { readCloudEvents } from "#server/receivers/cloudevents";
import { BadSignal } from "#server/receivers/otlp-types";

// Source: CloudEvents 1.0.2, HTTP Protocol Binding, sections 3.1 to 3.3 and their examples.
const bytes = (value: unknown) => new TextEncoder().encode(typeof value === "string" ? value : JSON.stringify(value));
const example = {
  specversion: "1.0",
  type: "com.example.someevent",
  time: "2018-04-05T03:56:24Z",
  id: "1234-1234-1234",
  source: "/mycontext/subcontext",
};
const structured = { "content-type": "application/cloudevents+json; charset=utf-8" };
const batch = { "content-type": "application/cloudevents-batch+json; charset=utf-8" };

describe("the three ways to send events (HTTP Protocol Binding §3)", () => {
  const expected = {
    id: "1234-1234-1234",
    source: "/mycontext/subcontext",
    atMs: Date.parse("2018-04-05T03:56:24Z"),
    kind: "change",
    summary: "com.example.someevent",
  };
  it("binary: attributes as headers, data as the body", () => {
    const headers = {
      "ce-specversion": "1.0",
      "ce-type": example.type,
      "ce-time": example.time,
      "ce-id": example.id,
      "ce-source": example.source,
      "content-type": "application/json; charset=utf-8",
    };
    expect(readCloudEvents(headers, bytes({ host: "crane-07" }))).toMatchObject([
      { ...expected, attributes: { "host.name": "crane-07" } },
    ]);
    expect(readCloudEvents({ ...headers, "content-type": "text/plain" }, bytes("not JSON"))).toMatchObject([expected]);
  });
  it("structured: one object", () =>
    expect(readCloudEvents(structured, bytes({ ...example, data: { host: "crane-07" } }))).toMatchObject([
      { ...expected, attributes: { "host.name": "crane-07" } },
    ]));
  it("batched: a list of them, which may be empty (§3.3)", () => {
    expect(readCloudEvents(batch, bytes([example, { ...example, id: "2" }])).map((event) => event.id)).toEqual([
      "1234-1234-1234",
      "2",
    ]);
    expect(readCloudEvents(batch, bytes([]))).toEqual([]);
  });
  it("headers are percent-encoded UTF-8 (§3.1.3.2)", () => {
    const headers = {
      "ce-specversion": "1.0",
      "ce-type": example.type,
      "ce-id": "1",
      "ce-source": "/x",
      "ce-subject": "Euro%20%E2%82%AC%20%F0%9F%98%80",
    };
    expect(readCloudEvents(headers, bytes(""))[0]?.summary).toBe("com.example.someevent: Euro \u20ac \u{1f600}");
    // A percent sign that stands for itself is let pass; octets that are no UTF-8 are not.
    expect(readCloudEvents({ ...headers, "ce-subject": "100% done" }, bytes(""))[0]?.summary).toBe(
      "com.example.someevent: 100% done",
    );
    expect(() => readCloudEvents({ ...headers, "ce-subject": "%FF%FE" }, bytes(""))).toThrow(
      "The header ce-subject is not percent-encoded UTF-8.",
    );
  });
});

describe("what an event must have (CloudEvents 1.0.2, context attributes)", () => {
  it.each(["id", "source", "specversion", "type"] as const)("%s", (name) => {
    const { [name]: _left, ...rest } = example;
    expect(() => readCloudEvents(structured, bytes(rest))).toThrow(BadSignal);
    expect(() => readCloudEvents(structured, bytes({ ...example, [name]: "" }))).toThrow(
      new RegExp(`not a CloudEvent: .*${name}`),
    );
  });
  it("a notification of our own is refused, so that a webhook that leads back goes round in no circle", () => {
    expect(() =>
      readCloudEvents(structured, bytes({ ...example, source: "/holotaxis", type: "holotaxis.incident.opened" })),
    ).toThrow(/leads back here/);
  });
  it("a version that is understood, and a time as RFC 3339 writes it", () => {
    expect(() => readCloudEvents(structured, bytes({ ...example, specversion: "0.3" }))).toThrow(
      "specversion must be 1.0.",
    );
    expect(() => readCloudEvents(structured, bytes({ ...example, time: "yesterday" }))).toThrow(
      "time must be an RFC 3339 instant.",
    );
    expect(readCloudEvents(structured, bytes({ ...example, time: "2018-04-05T03:56:24.5+02:00" }))[0]?.atMs).toBe(
      Date.parse("2018-04-05T01:56:24.500Z"),
    );
    expect(readCloudEvents(structured, bytes({ ...example, time: undefined }))[0]?.atMs).toBeUndefined();
  });
  it("extension attributes may come with it (§ extension context attributes)", () =>
    expect(
      readCloudEvents(structured, bytes({ ...example, comexampleextension1: "value", comexampleothervalue: 5 })),
    ).toHaveLength(1));
});

describe("what is read of it", () => {
  const one = (changes: object) => readCloudEvents(structured, bytes({ ...example, ...changes }))[0];
  it("a deployment by its type, with version, ticket and who", () => {
    expect(
      one({
        type: "example.deployment",
        data: { host: "crane-07", service: "winch", version: "2.1", ticket: "CHG-7", who: "i.marrow" },
      }),
    ).toMatchObject({
      kind: "deployment",
      summary: "winch 2.1 was deployed",
      ticket: "CHG-7",
      by: "i.marrow",
      attributes: { "host.name": "crane-07", "service.name": "winch" },
    });
    expect(one({ type: "example.rollout.finished", subject: "winch" })).toMatchObject({
      kind: "deployment",
      summary: "winch was deployed",
      attributes: { "service.name": "winch" },
    });
  });
  it("its own words before ours, no longer than is kept", () => {
    expect(one({ data: { summary: "The cache got larger" } })?.summary).toBe("The cache got larger");
    expect(() => one({ data: { summary: "x".repeat(301) } })).toThrow(/data cannot be read: summary/);
    expect(one({ type: "t".repeat(200), subject: "s".repeat(300) })?.summary).toHaveLength(300);
    const long = JSON.parse(one({ data: { note: "x".repeat(20_000) } })?.detail ?? "") as Record<string, unknown>;
    expect(long).toMatchObject({ type: "com.example.someevent", because: "the data is too long" });
  });
  it("nothing of data that is no object", () =>
    expect(one({ data: "plain" })).toMatchObject({
      summary: "com.example.someevent",
      ticket: null,
      by: "/mycontext/subcontext",
    }));
});

describe("what cannot be read", () => {
  it.each([
    ["broken JSON", structured, "{", "The JSON cannot be read."],
    ["a list where one is meant", structured, [], "not a CloudEvent"],
    ["one where a list is meant", batch, example, "A batch is a list of at most 1000 events."],
    ["too many", batch, Array.from({ length: 1001 }, () => example), "at most 1000"],
    ["no CloudEvent at all", { "content-type": "application/json" }, { a: 1 }, "Send application/cloudevents+json"],
  ] as const)("%s is answered with a sentence", (_what, headers, body, sentence) => {
    expect(() => readCloudEvents(headers, bytes(body))).toThrow(sentence);
    expect(() => readCloudEvents(headers, bytes(body))).toThrow(BadSignal);
  });
});
