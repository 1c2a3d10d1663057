/** What a map can be arranged by, in the order it is offered. */
export const ATTRIBUTES = [
  { value: "layer", label: "Layer" },
  { value: "kind", label: "Kind" },
  { value: "site", label: "Site" },
  { value: "service", label: "Service" },
  { value: "owner", label: "Owner" },
  { value: "environment", label: "Environment" },
  { value: "tier", label: "Tier" },
  { value: "tag", label: "Tag" },
  { value: "subnet", label: "Subnet" },
  { value: "source", label: "Source" },
  { value: "health", label: "Health" },
] as const;

export type Attribute = (typeof ATTRIBUTES)[number]["value"];

export const isAttribute = (text: string): text is Attribute => ATTRIBUTES.some(({ value }) => value === text);
