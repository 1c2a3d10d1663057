import type { Moment } from "./rule";

/** What a message can say; everything is there always, lists may be empty. */
export interface MessageFacts {
  /** Why it is sent: "Opened", "Cause known" … */
  occasion: string;
  moment: Moment | "digest";
  incident: {
    number: number;
    title: string;
    sentence: string;
    severity: string;
    worst: string;
    priority: number;
    priority_reason: string;
    state: string;
    opened: string;
    resolved: string;
    lasted: string;
    taken_by: string;
    waiting_for: string;
    link: string;
  };
  services: string[];
  cause: { name: string; percent: number; reasons: string[]; confirmed_by: string } | null;
  other_causes: { name: string; percent: number }[];
  harm: { service: string; is_hurt: boolean; since: string; calls: number; failed: number }[];
  alarms: { subject: string; text: string; severity: string; raised: string; cleared: string }[];
  changes: { at: string; summary: string; by: string; ticket: string }[];
  processes: { name: string; memory: string; cpu_time: string }[];
  logs: { text: string; count: number; source: string }[];
  notes: { title: string; text: string }[];
  runbooks: { title: string; link: string }[];
  charts: { title: string; link: string; picture: string }[];
  told: { name: string; at: string; occasion: string }[];
  recipient: { name: string; why: string };
  links: { incident: string; take: string; pass_on: string; shelve: string };
  organisation: string;
}

/** A message about several incidents. */
export interface DigestFacts {
  occasion: string;
  moment: "digest";
  incidents: {
    number: number;
    title: string;
    sentence: string;
    severity: string;
    state: string;
    occasion: string;
    link: string;
    cause: string;
  }[];
  recipient: { name: string; why: string };
  links: { incidents: string };
  organisation: string;
}

/** What the mail about a shift says that was handed over. */
export interface ShiftFacts {
  occasion: string;
  moment: "shift";
  shift: { from: string; to: string; left_by: string; remark: string; link: string };
  open: {
    number: number;
    title: string;
    severity: string;
    priority: number;
    since: string;
    taken_by: string;
    waiting_for: string;
    cause: string;
    link: string;
  }[];
  came_in: { number: number; title: string; at: string; state: string; link: string }[];
  done: { at: string; text: string; by: string }[];
  planned: { from: string; title: string; person: string }[];
  alarms: { raised: number; standing: number };
  comes_on: { rotation: string; name: string }[];
  recipient: { name: string; why: string };
  organisation: string;
}

/** Whatever a message can be made of. */
export type AnyFacts = MessageFacts | DigestFacts | ShiftFacts;

/** An incident that never was: what a template is tried on, with everything that there can be. */
export const SAMPLE: MessageFacts = {
  occasion: "Cause known",
  moment: "cause",
  incident: {
    number: 4711,
    title: "Gate Appointments: memory used high on nq-gate-app-02",
    sentence: "On nq-gate-app-02: memory used 94 % (since 06:12, 4 min so far). Gate Appointments is affected.",
    severity: "critical",
    worst: "critical",
    priority: 2,
    priority_reason: "a service is hurt",
    state: "open",
    opened: "Tue 3 Mar 06:12 UTC",
    resolved: "",
    lasted: "4 min",
    taken_by: "",
    waiting_for: "",
    link: "https://watch.example/incidents/4711",
  },
  services: ["Gate Appointments"],
  cause: {
    name: "slotkeeper on nq-gate-app-02",
    percent: 83,
    reasons: ["would show as all three alarms", "was changed 7 min before"],
    confirmed_by: "",
  },
  other_causes: [{ name: "nq-gate-db-01", percent: 9 }],
  harm: [{ service: "Gate Appointments", is_hurt: true, since: "06:13 UTC", calls: 412, failed: 38 }],
  alarms: [
    {
      subject: "nq-gate-app-02",
      text: "Memory used is 94 %, above 90 %",
      severity: "critical",
      raised: "06:12 UTC",
      cleared: "",
    },
  ],
  changes: [
    { at: "06:05 UTC", summary: "slotkeeper was upgraded to 4.2", by: "Edo Brandsma-Quill", ticket: "CHG-3120" },
  ],
  processes: [{ name: "slotkeeper", memory: "11.2 GiB", cpu_time: "4 h 12 min" }],
  logs: [{ text: "heap is <*> % full", count: 214, source: "slotkeeper" }],
  notes: [
    { title: "A process that holds more and more memory", text: "Compare with its siblings before you restart it." },
  ],
  runbooks: [{ title: "Restart a service", link: "https://watch.example/runbooks/restart-service" }],
  charts: [
    { title: "Memory used of nq-gate-app-02", link: "https://watch.example/incidents/4711", picture: "cid:chart-1" },
  ],
  told: [{ name: "Mara Tolvane", at: "06:14 UTC", occasion: "Opened" }],
  recipient: { name: "Mara Tolvane", why: "rule “What hurts people”" },
  links: {
    incident: "https://watch.example/incidents/4711",
    take: "https://watch.example/answer/take",
    pass_on: "https://watch.example/answer/pass-on",
    shelve: "https://watch.example/answer/shelve",
  },
  organisation: "Halvane Port Authority",
};

/** Nothing besides the incident itself. */
export const NOTHING_MORE = {
  services: [],
  cause: null,
  other_causes: [],
  harm: [],
  alarms: [],
  changes: [],
  processes: [],
  logs: [],
  notes: [],
  runbooks: [],
  charts: [],
  told: [],
} satisfies Partial<MessageFacts>;

/** The least that can be known of an incident. */
export const BARE: MessageFacts = { ...SAMPLE, ...NOTHING_MORE };

export const SAMPLE_DIGEST: DigestFacts = {
  occasion: "Digest",
  moment: "digest",
  incidents: [
    {
      number: 4711,
      title: SAMPLE.incident.title,
      sentence: SAMPLE.incident.sentence,
      severity: "critical",
      state: "open",
      occasion: "Opened",
      link: SAMPLE.incident.link,
      cause: "slotkeeper on nq-gate-app-02",
    },
  ],
  recipient: SAMPLE.recipient,
  links: { incidents: "https://watch.example/incidents" },
  organisation: SAMPLE.organisation,
};

export const SAMPLE_SHIFT: ShiftFacts = {
  occasion: "Shift handed over",
  moment: "shift",
  shift: {
    from: "Tue 3 Mar 22:00 UTC",
    to: "Wed 4 Mar 06:00 UTC",
    left_by: "Mara Tolvane",
    remark: "The parser leaks; restart it when it passes 80 %.",
    link: "https://watch.example/incidents/shift",
  },
  open: [
    {
      number: 4711,
      title: SAMPLE.incident.title,
      severity: "critical",
      priority: 2,
      since: "06:12 UTC",
      taken_by: "Mara Tolvane",
      waiting_for: "the database desk",
      cause: "slotkeeper on nq-gate-app-02",
      link: SAMPLE.incident.link,
    },
  ],
  came_in: [{ number: 4711, title: SAMPLE.incident.title, at: "06:12 UTC", state: "open", link: SAMPLE.incident.link }],
  done: [{ at: "06:20 UTC", text: "Taken", by: "Mara Tolvane" }],
  planned: [{ from: "08:00 UTC", title: "CHG-3120: new parser", person: "Edo Brandsma-Quill" }],
  alarms: { raised: 12, standing: 3 },
  comes_on: [{ rotation: "First line", name: "Edo Brandsma-Quill" }],
  recipient: { name: "Edo Brandsma-Quill", why: "comes on call" },
  organisation: SAMPLE.organisation,
};

/** A variable of templates, with what it held in the sample. */
export interface Variable {
  path: string;
  example: string;
  isList: boolean;
}

/** Every variable that a template can name, in the order in which people look for them. */
export function variablesOf(facts: object, prefix = ""): Variable[] {
  return Object.entries(facts).flatMap(([name, value]): Variable[] => {
    const path = prefix + name;
    if (Array.isArray(value)) {
      const [first] = value as unknown[];
      const inner = typeof first === "object" && first !== null ? variablesOf(first, `${path}[].`) : [];
      return [
        { path, example: typeof first === "string" ? first : `${value.length} in the sample`, isList: true },
        ...inner,
      ];
    }
    if (typeof value === "object" && value !== null) return variablesOf(value, `${path}.`);
    return [{ path, example: String(value), isList: false }];
  });
}
