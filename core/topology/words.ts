const VERBS: Readonly<Record<string, string>> = {
  "talks-to": "talks to",
  "runs-on": "runs on",
  "hosted-by": "is hosted by",
  "stored-on": "is stored on",
  "wired-to": "is wired to",
  "part-of": "is part of",
  // Of a service on the map.
  "entered-by": "is entered by",
  "relies-on": "relies on",
};

/** A type of relation as it is said between both ends: "talks to". */
export const verbOf = (type: string): string => VERBS[type] ?? type.replaceAll("-", " ");
