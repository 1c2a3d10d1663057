/** Which incidents a list shows, and in which order. */
export const INCIDENT_STATES = ["all", "open", "resolved"] as const;
export const INCIDENT_ORDERS = ["newest", "oldest", "priority", "longest", "alarms"] as const;
