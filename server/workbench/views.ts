/**
 * What the workbench shows of the store: names, columns and their meaning. Instants are ISO 8601 text in UTC, so that
 * they can be read and compared.
 */

export interface WorkbenchView {
  name: string;
  /** Arguments in parentheses, for those that take some. */
  takes?: string;
  about: string;
  columns: readonly [name: string, about: string][];
  /** Definition, for those that are plain views. */
  sql?: string;
}

const iso = (column: string) => `strftime('%Y-%m-%dT%H:%M:%fZ', ${column} / 1000.0, 'unixepoch')`;

export const WORKBENCH_VIEWS: readonly WorkbenchView[] = [
  {
    name: "components",
    about: "Everything in the estate at present",
    columns: [
      ["id", "number of the component"],
      ["name", "its name"],
      ["kind", "its kind"],
      ["site", "where it is"],
      ["address", "its address"],
      ["host", "name of the host it runs on"],
      ["found", "when it was found"],
      ["last_seen", "when it was last seen"],
    ],
    sql: `SELECT c.id, c.name, c.kind, c.site, c.address, h.name AS host, ${iso("c.valid_from")} AS found, ${iso("c.last_seen_at")} AS last_seen FROM component c LEFT JOIN component h ON h.id = c.host_id WHERE c.valid_to IS NULL`,
  },
  {
    name: "relations",
    about: "Who runs on, talks to and is wired to whom at present",
    columns: [
      ["type", "runs-on, talks-to or wired-to"],
      ["from_name", "from"],
      ["to_name", "to"],
      ["detail", "port"],
      ["connections", "open connections"],
      ["since", "since when"],
    ],
    sql: `SELECT r.type, a.name AS from_name, b.name AS to_name, r.detail, r.connections, ${iso("r.valid_from")} AS since FROM relation r JOIN component a ON a.id = r.from_id JOIN component b ON b.id = r.to_id WHERE r.valid_to IS NULL`,
  },
  {
    name: "members",
    about: "Which component belongs to which service at present",
    columns: [
      ["service", "name of the service"],
      ["component", "name of the component"],
      ["is_entry", "1 where it is an entry point"],
    ],
    sql: "SELECT s.name AS service, c.name AS component, m.entry AS is_entry FROM member m JOIN service s ON s.id = m.service_id JOIN component c ON c.id = m.component_id WHERE m.valid_to IS NULL",
  },
  {
    name: "changes",
    about: "What was altered",
    columns: [
      ["at", "when"],
      ["kind", "sort of change"],
      ["component", "what it is about"],
      ["summary", "what"],
      ["by_whom", "who or what made it known"],
      ["ticket", "its ticket"],
    ],
    sql: `SELECT ${iso("x.at")} AS at, x.kind, c.name AS component, x.summary, x.by_whom, x.ticket FROM change x LEFT JOIN component c ON c.id = x.component_id`,
  },
  {
    name: "alarms",
    about: "Every alarm",
    columns: [
      ["raised", "when"],
      ["cleared", "when, null while it is on"],
      ["component", "on what"],
      ["severity", "its worst severity"],
      ["type", "its type"],
      ["text", "its text"],
    ],
    sql: `SELECT ${iso("a.raised_at")} AS raised, ${iso("a.cleared_at")} AS cleared, c.name AS component, a.worst AS severity, a.alarm_type AS type, a.text FROM alarm a JOIN component c ON c.id = a.component_id`,
  },
  {
    name: "incidents",
    about: "Every incident",
    columns: [
      ["opened", "when"],
      ["resolved", "when, null while it is open"],
      ["title", "its title"],
      ["severity", "its worst severity"],
      ["services", "the services affected"],
    ],
    sql: `SELECT ${iso("i.opened_at")} AS opened, ${iso("i.resolved_at")} AS resolved, i.title, i.worst AS severity, (SELECT group_concat(s.name, ', ') FROM incident_service o JOIN service s ON s.id = o.service_id WHERE o.incident_id = i.id) AS services FROM incident i`,
  },
  {
    name: "logs",
    about: "Log records",
    columns: [
      ["at", "when"],
      ["severity", "1 to 24, 0 not given"],
      ["component", "who said it"],
      ["body", "what"],
      ["pattern", "its pattern"],
      ["attributes", "its attributes as JSON"],
      ["trace_id", "its trace"],
    ],
    sql: `SELECT ${iso("l.at")} AS at, l.severity, c.name AS component, l.body, p.text AS pattern, l.attributes, l.trace_id FROM log l JOIN resource o ON o.id = l.resource_id LEFT JOIN component c ON c.id = o.component_id LEFT JOIN log_pattern p ON p.id = l.pattern_id`,
  },
  {
    name: "log_counts",
    about: "How many log records came in each minute",
    columns: [
      ["minute", "the minute"],
      ["component", "who said it"],
      ["pattern", "its pattern"],
      ["severity", "1 to 24"],
      ["count", "how many"],
    ],
    sql: `SELECT ${iso("t.minute_at")} AS minute, c.name AS component, p.text AS pattern, t.severity, t.count FROM log_tally t JOIN resource o ON o.id = t.resource_id LEFT JOIN component c ON c.id = o.component_id LEFT JOIN log_pattern p ON p.id = t.pattern_id`,
  },
  {
    name: "spans",
    about: "Spans",
    columns: [
      ["at", "when it began"],
      ["milliseconds", "how long it took"],
      ["component", "where"],
      ["operation", "what"],
      ["kind", "2 answered, 3 called"],
      ["failed", "1 where it failed"],
      ["trace_id", "its trace"],
    ],
    sql: `SELECT ${iso("(s.start_us / 1000.0)")} AS at, s.duration_us / 1000.0 AS milliseconds, c.name AS component, op.name AS operation, op.kind, s.status = 2 AS failed, lower(hex(s.trace_id)) AS trace_id FROM span s JOIN operation op ON op.id = s.operation_id JOIN resource o ON o.id = op.resource_id LEFT JOIN component c ON c.id = o.component_id`,
  },
  {
    name: "series",
    about: "Every series that is measured",
    columns: [
      ["id", "number of the series"],
      ["metric", "what"],
      ["instance", "of which disk, port or attributes"],
      ["unit", "unit"],
      ["component", "of what"],
      ["service", "of which service"],
    ],
    sql: "SELECT s.id, s.metric, s.instance, s.unit, c.name AS component, v.name AS service FROM main.series s LEFT JOIN component c ON c.id = s.component_id LEFT JOIN service v ON v.id = s.service_id",
  },
  {
    name: "spend",
    about: "What was paid for, a row for each charge and day",
    columns: [
      ["day", "the day (UTC)"],
      ["billing_month", "first day of its billing period"],
      ["provider", "who charges for it"],
      ["account", "billing account"],
      ["account_id", "its id"],
      ["sub_account", "sub-account"],
      ["category", "category of the service"],
      ["service", "service"],
      ["region", "region"],
      ["resource", "name of the resource, or its id"],
      ["resource_id", "its id at the provider"],
      ["component_id", "component that it is, where it is in the estate"],
      ["charge", "Usage, Purchase, Tax, Credit or Adjustment"],
      ["correction", "1 where it corrects what was charged before"],
      ["currency", "currency of the amounts"],
      ["effective", "amortised cost"],
      ["billed", "cost as billed"],
      ["list", "cost at list prices"],
      ["tags", "tags, as a JSON object"],
    ],
    sql: `WITH owner AS MATERIALIZED (SELECT native_account(k.key) AS account, native_id(k.key) AS id, max(k.component_id) AS component_id FROM component_key k WHERE k.key >= 'native:' AND k.key < 'native;' GROUP BY 1, 2) SELECT strftime('%Y-%m-%d', d.day / 1000, 'unixepoch') AS day, strftime('%Y-%m-%d', d.billing_at / 1000, 'unixepoch') AS billing_month, i.provider, i.account, i.account_id, coalesce(i.columns ->> 'SubAccountName', i.columns ->> 'SubAccountId') AS sub_account, i.columns ->> 'ServiceCategory' AS category, i.columns ->> 'ServiceName' AS service, coalesce(i.columns ->> 'RegionName', i.columns ->> 'RegionId') AS region, coalesce(i.columns ->> 'ResourceName', i.resource_id) AS resource, i.resource_id, w.component_id, i.columns ->> 'ChargeCategory' AS charge, coalesce(i.columns ->> 'ChargeClass', '') = 'Correction' AS correction, i.columns ->> 'BillingCurrency' AS currency, d.effective, d.billed, d.list, coalesce(i.columns ->> 'Tags', '{}') AS tags FROM spend_day d JOIN spend_item i ON i.id = d.item_id LEFT JOIN owner w ON i.resource_id <> '' AND w.id = i.resource_id AND w.account = i.account_id WHERE d.import_id IN (SELECT id FROM spend_import WHERE state = 'taken')`,
  },
  {
    name: "samples",
    takes: "metric, from, to",
    about: "Samples of a metric in a window: samples('memory.used', '2026-03-17T10:00Z', '2026-03-17T12:00Z')",
    columns: [
      ["at", "when"],
      ["component", "of what"],
      ["instance", "of which part"],
      ["value", "how much"],
    ],
  },
  {
    name: "hours",
    takes: "metric, from, to",
    about: "The same summed up by hours: hours('net.in', '2026-03-10', '2026-03-17')",
    columns: [
      ["at", "the hour"],
      ["component", "of what"],
      ["instance", "of which part"],
      ["lowest", "lowest value"],
      ["mean", "mean"],
      ["highest", "highest value"],
      ["count", "samples in it"],
    ],
  },
];
