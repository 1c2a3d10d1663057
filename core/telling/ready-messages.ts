import type { MessageTemplate } from "./template";
import { MOMENTS, type Moment } from "./rule";

const PLAIN = `{{ incident.sentence }}

{% if cause %}{% if cause.confirmed_by != "" %}Cause, as {{ cause.confirmed_by }} confirmed: {{ cause.name }}{% else %}Likeliest cause: {{ cause.name }} ({{ cause.percent }} %){% endif %}
{% for reason in cause.reasons %}  - {{ reason }}
{% endfor %}{% else %}No cause is known yet.
{% endif %}{% if harm.size > 0 %}
Who is hurt:
{% for one in harm %}  - {{ one.service }}: {% if one.is_hurt %}hurt since {{ one.since }}{% else %}relies on it, not hurt{% endif %}{% if one.calls > 0 %}; {{ one.failed }} of {{ one.calls }} calls failed{% endif %}
{% endfor %}{% endif %}{% if changes.size > 0 %}
Changed just before:
{% for change in changes %}  - {{ change.at }}: {{ change.summary }} ({{ change.by }}, {{ change.ticket }})
{% endfor %}{% endif %}{% if processes.size > 0 %}
Processes at the moment of the alarm:
{% for process in processes %}  - {{ process.name }}: {{ process.memory }} of memory, {{ process.cpu_time }} of CPU time
{% endfor %}{% endif %}{% if notes.size > 0 %}
What is known about it:
{% for note in notes %}  - {{ note.title }}: {{ note.text }}
{% endfor %}{% endif %}{% if runbooks.size > 0 %}
Runbooks that fit:
{% for runbook in runbooks %}  - {{ runbook.title }}: {{ runbook.link }}
{% endfor %}{% endif %}
Priority {{ incident.priority }}: {{ incident.priority_reason }}. {% if incident.taken_by == "" %}Nobody has taken it yet.{% else %}With {{ incident.taken_by }}.{% endif %}{% if incident.waiting_for != "" %} Waiting for {{ incident.waiting_for }}.{% endif %}
{% if incident.state == "open" %}
Take it:   {{ links.take }}
Pass on:   {{ links.pass_on }}
Shelve:    {{ links.shelve }}
{% endif %}Open it:   {{ links.incident }}
{% if told.size > 0 %}
Told so far: {% for one in told %}{{ one.name }} ({{ one.occasion | downcase }}, {{ one.at }}){% unless forloop.last %}, {% endunless %}{% endfor %}.
{% endif %}
Sent to {{ recipient.name }} by {{ recipient.why }}.
`;

const RICH = `<div style="max-width:640px;font-family:sans-serif;font-size:14px;line-height:1.5;color:#1d2326">
<p style="font-size:16px"><b>{{ incident.sentence }}</b></p>
{% if cause %}<p>{% if cause.confirmed_by != "" %}Cause, as {{ cause.confirmed_by }} confirmed: <b>{{ cause.name }}</b>{% else %}Likeliest cause: <b>{{ cause.name }}</b> ({{ cause.percent }} %){% endif %}</p>
<ul>{% for reason in cause.reasons %}<li>{{ reason }}</li>{% endfor %}</ul>{% else %}<p>No cause is known yet.</p>{% endif %}
{% if harm.size > 0 %}<h3>Who is hurt</h3><ul>{% for one in harm %}<li>{{ one.service }}: {% if one.is_hurt %}<b>hurt since {{ one.since }}</b>{% else %}relies on it, not hurt{% endif %}{% if one.calls > 0 %}; {{ one.failed }} of {{ one.calls }} calls failed{% endif %}</li>{% endfor %}</ul>{% endif %}
{% for chart in charts %}<p><img src="{{ chart.picture }}" alt="{{ chart.title }}" width="600" height="180"></p>{% endfor %}
{% if changes.size > 0 %}<h3>Changed just before</h3><ul>{% for change in changes %}<li>{{ change.at }}: {{ change.summary }} ({{ change.by }}, {{ change.ticket }})</li>{% endfor %}</ul>{% endif %}
{% if processes.size > 0 %}<h3>Processes at the moment of the alarm</h3><table>{% for process in processes %}<tr><td>{{ process.name }}</td><td align="right">{{ process.memory }}</td><td align="right">{{ process.cpu_time }} of CPU time</td></tr>{% endfor %}</table>{% endif %}
{% if notes.size > 0 %}<h3>What is known about it</h3><ul>{% for note in notes %}<li><b>{{ note.title }}</b>: {{ note.text }}</li>{% endfor %}</ul>{% endif %}
{% if runbooks.size > 0 %}<h3>Runbooks that fit</h3><ul>{% for runbook in runbooks %}<li><a href="{{ runbook.link }}">{{ runbook.title }}</a></li>{% endfor %}</ul>{% endif %}
<p>Priority {{ incident.priority }}: {{ incident.priority_reason }}. {% if incident.taken_by == "" %}Nobody has taken it yet.{% else %}With {{ incident.taken_by }}.{% endif %}{% if incident.waiting_for != "" %} Waiting for {{ incident.waiting_for }}.{% endif %}</p>
<p>{% if incident.state == "open" %}<a href="{{ links.take }}">Take it</a> · <a href="{{ links.pass_on }}">Pass on</a> · <a href="{{ links.shelve }}">Shelve</a> · {% endif %}<a href="{{ links.incident }}">Open the incident</a></p>
<p style="color:#5a5f5c;font-size:12px">{% if told.size > 0 %}Told so far: {% for one in told %}{{ one.name }} ({{ one.occasion | downcase }}, {{ one.at }}){% unless forloop.last %}, {% endunless %}{% endfor %}. {% endif %}Sent to {{ recipient.name }} by {{ recipient.why }}.</p>
</div>
`;

const HEADERS = `X-Holotaxis-Incident: {{ incident.number }}
X-Holotaxis-Severity: {{ incident.severity }}
X-Holotaxis-Priority: {{ incident.priority }}
X-Holotaxis-Occasion: {{ moment }}
`;

const SUBJECTS: Readonly<Record<Moment, string>> = {
  opened: "[{{ incident.severity }}] {{ incident.title }}",
  worse: "[{{ incident.severity }}] worse: {{ incident.title }}",
  cause: "[{{ incident.severity }}] {% if cause %}cause: {{ cause.name }}: {% endif %}{{ incident.title }}",
  handed:
    "[{{ incident.severity }}] with {% if incident.taken_by == '' %}nobody{% else %}{{ incident.taken_by }}{% endif %}: {{ incident.title }}",
  unclaimed: "[{{ incident.severity }}] nobody has taken it: {{ incident.title }}",
  charts: "[{{ incident.severity }}] charts: {{ incident.title }}",
  eased: "[{{ incident.severity }}] eased: {{ incident.title }}",
  reopened: "[{{ incident.severity }}] opened again: {{ incident.title }}",
  resolved: "[resolved after {{ incident.lasted }}] {{ incident.title }}",
};

const DIGEST: MessageTemplate = {
  subject: "{{ incidents.size }} incidents to look at",
  plain: `{% for one in incidents %}{{ one.number }} [{{ one.severity }}] {{ one.title }}
  {{ one.occasion }}. {{ one.sentence }}{% if one.cause != "" %} Likeliest cause: {{ one.cause }}.{% endif %}
  {{ one.link }}

{% endfor %}All incidents: {{ links.incidents }}

Sent to {{ recipient.name }}: {{ recipient.why }}.
`,
  rich: `<div style="max-width:640px;font-family:sans-serif;font-size:14px;line-height:1.5;color:#1d2326">
<ul>{% for one in incidents %}<li><b><a href="{{ one.link }}">{{ one.number }}</a> [{{ one.severity }}] {{ one.title }}</b><br>{{ one.occasion }}. {{ one.sentence }}{% if one.cause != "" %} Likeliest cause: {{ one.cause }}.{% endif %}</li>{% endfor %}</ul>
<p><a href="{{ links.incidents }}">All incidents</a></p>
<p style="color:#5a5f5c;font-size:12px">Sent to {{ recipient.name }}: {{ recipient.why }}.</p>
</div>
`,
  headers: "X-Holotaxis-Occasion: {{ moment }}\n",
};

const SHIFT: MessageTemplate = {
  subject: "Shift handed over by {{ shift.left_by }}: {{ open.size }} open",
  plain: `{{ shift.left_by }} handed over the shift from {{ shift.from }} to {{ shift.to }}:

{{ shift.remark }}

Open: {{ open.size }}
{% for one in open %}  {{ one.number }} [{{ one.severity }}, priority {{ one.priority }}] {{ one.title }}
     since {{ one.since }}, with {% if one.taken_by == "" %}nobody{% else %}{{ one.taken_by }}{% endif %}{% if one.waiting_for != "" %}, waiting for {{ one.waiting_for }}{% endif %}{% if one.cause != "" %}; likeliest cause {{ one.cause }}{% endif %}
     {{ one.link }}
{% endfor %}
Came in: {{ came_in.size }}
{% for one in came_in %}  {{ one.at }}: {{ one.number }} {{ one.title }} ({{ one.state }})
{% endfor %}
Done by people: {{ done.size }}
{% for one in done %}  {{ one.at }}: {{ one.text }} ({{ one.by }})
{% endfor %}
Planned next: {{ planned.size }}
{% for one in planned %}  {{ one.from }}: {{ one.title }} ({{ one.person }})
{% endfor %}
{{ alarms.raised }} alarms came, {{ alarms.standing }} stand.
{% for one in comes_on %}{{ one.rotation }}: {{ one.name }}. {% endfor %}

Sign that you took it over: {{ shift.link }}
`,
  rich: `<div style="max-width:640px;font-family:sans-serif;font-size:14px;line-height:1.5;color:#1d2326">
<p><b>{{ shift.left_by }}</b> handed over the shift from {{ shift.from }} to {{ shift.to }}:</p>
<blockquote>{{ shift.remark | newline_to_br }}</blockquote>
<h3>Open: {{ open.size }}</h3><ul>{% for one in open %}<li><a href="{{ one.link }}">{{ one.number }}</a> [{{ one.severity }}, priority {{ one.priority }}] {{ one.title }}<br>since {{ one.since }}, with {% if one.taken_by == "" %}nobody{% else %}{{ one.taken_by }}{% endif %}{% if one.waiting_for != "" %}, waiting for {{ one.waiting_for }}{% endif %}{% if one.cause != "" %}; likeliest cause {{ one.cause }}{% endif %}</li>{% endfor %}</ul>
<h3>Came in: {{ came_in.size }}</h3><ul>{% for one in came_in %}<li>{{ one.at }}: <a href="{{ one.link }}">{{ one.number }}</a> {{ one.title }} ({{ one.state }})</li>{% endfor %}</ul>
<h3>Done by people: {{ done.size }}</h3><ul>{% for one in done %}<li>{{ one.at }}: {{ one.text }} ({{ one.by }})</li>{% endfor %}</ul>
<h3>Planned next: {{ planned.size }}</h3><ul>{% for one in planned %}<li>{{ one.from }}: {{ one.title }} ({{ one.person }})</li>{% endfor %}</ul>
<p>{{ alarms.raised }} alarms came, {{ alarms.standing }} stand. {% for one in comes_on %}{{ one.rotation }}: {{ one.name }}. {% endfor %}</p>
<p><a href="{{ shift.link }}">Sign that you took it over</a></p>
</div>
`,
  headers: "X-Holotaxis-Occasion: {{ moment }}\n",
};

/** What templates there are for besides those of incidents. */
export type Occasion = Moment | "digest" | "shift";

/** What is sent while nobody has written anything else, by occasion. */
export function readyMessage(occasion: Occasion): MessageTemplate {
  if (occasion === "digest") return DIGEST;
  if (occasion === "shift") return SHIFT;
  return { subject: SUBJECTS[occasion], plain: PLAIN, rich: RICH, headers: HEADERS };
}

/** What templates are for. */
export const TEMPLATE_KINDS: readonly { id: Occasion; label: string; words: string }[] = [
  ...MOMENTS,
  { id: "digest", label: "Digest", words: "several incidents are told of in one message" },
  { id: "shift", label: "Shift handed over", words: "somebody hands their shift over, to whoever comes on call" },
];

/** A body for a chat's incoming webhook. */
export const READY_CHAT = `{
  "text": "{{ occasion }}: {{ incident.title }}",
  "link": "{{ links.incident }}",
  "severity": "{{ incident.severity }}",
  "details": "{{ incident.sentence }}{% if cause %} Likeliest cause: {{ cause.name }} ({{ cause.percent }} %).{% endif %}"
}
`;
