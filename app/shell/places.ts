export interface Place {
  to: string;
  label: string;
  /** Pages below it that the palette finds too. */
  more?: { to: string; label: string }[];
}

/** The places of the top bar, in the order of the work. */
export const PLACES: readonly Place[] = [
  { to: "/", label: "Watch" },
  { to: "/discover", label: "Discover" },
  {
    to: "/estate",
    label: "Estate",
    more: [
      { to: "/estate/platforms", label: "Estate › Platforms" },
      { to: "/estate/capacity", label: "Estate › Capacity" },
      { to: "/estate/spend", label: "Estate › Spend" },
      { to: "/estate/spend/idle", label: "Estate › Spend › Paid for and idle" },
      { to: "/estate/spend/data", label: "Estate › Spend › Budgets and cost data" },
      { to: "/estate/software", label: "Estate › Software" },
      { to: "/estate/certificates", label: "Estate › Certificates" },
      { to: "/estate/jobs", label: "Estate › Jobs" },
      { to: "/estate/differences", label: "Estate › Differences" },
    ],
  },
  { to: "/map", label: "Map" },
  {
    to: "/signals",
    label: "Signals",
    more: [
      { to: "/signals/metrics", label: "Signals › Metrics" },
      { to: "/signals/logs", label: "Signals › Logs" },
      { to: "/signals/traces", label: "Signals › Traces" },
      { to: "/signals/sql", label: "Signals › SQL" },
      { to: "/signals/import", label: "Signals › Import" },
    ],
  },
  {
    to: "/incidents",
    label: "Incidents",
    more: [
      { to: "/incidents/alarms", label: "Incidents › Alarm load" },
      { to: "/incidents/planned-work", label: "Incidents › Planned work" },
      { to: "/incidents/triage", label: "Incidents › Triage" },
      { to: "/incidents/shift", label: "Incidents › Shift" },
      { to: "/incidents/notifications", label: "Incidents › Notifications sent" },
      { to: "/on-call", label: "On call" },
    ],
  },
  {
    to: "/runbooks",
    label: "Runbooks",
    more: [
      { to: "/runbooks/policies", label: "Runbooks › Policies" },
      { to: "/runbooks/housekeeping", label: "Runbooks › Housekeeping" },
      { to: "/runbooks/new", label: "Runbooks › New runbook" },
    ],
  },
  {
    to: "/setup",
    label: "Setup",
    more: [
      { to: "/setup/drills", label: "Setup › Drills" },
      { to: "/setup/signals", label: "Setup › Ingest" },
      { to: "/setup/rules", label: "Setup › Rules" },
      { to: "/setup/kits", label: "Setup › Kits" },
      { to: "/setup/services", label: "Setup › Services" },
      { to: "/setup/notifications", label: "Setup › Notifications" },
      { to: "/setup/channels", label: "Setup › Channels" },
      { to: "/setup/messages", label: "Setup › Message templates" },
    ],
  },
];
