/**
 * What a person may be trusted with: see the estate (`read`), work on incidents and evidence (`respond`), start approved
 * runbooks (`repair`), change how the estate is watched (`configure`), decide who may do what (`administer`).
 */
export const RIGHTS = ["read", "respond", "repair", "configure", "administer"] as const;
export type Right = (typeof RIGHTS)[number];

export const RIGHT_IN_WORDS: Readonly<Record<Right, string>> = {
  read: "to see the estate",
  respond: "to work on incidents",
  repair: "to run runbooks",
  configure: "to change how the estate is watched",
  administer: "to decide who may do what",
};

export const ROLES = [
  { id: "reader", label: "Reader", may: "sees everything that is watched", rights: ["read"] },
  {
    id: "responder",
    label: "Responder",
    may: "takes incidents, pins evidence and runs approved runbooks",
    rights: ["read", "respond", "repair"],
  },
  {
    id: "operator",
    label: "Operator",
    may: "works on incidents and changes how the estate is watched: sources, rules, retention",
    rights: ["read", "respond", "repair", "configure"],
  },
  {
    id: "administrator",
    label: "Administrator",
    may: "may do everything, decides who may do what, and reads the audit log",
    rights: RIGHTS,
  },
] as const satisfies readonly { id: string; label: string; may: string; rights: readonly Right[] }[];
export type RoleId = (typeof ROLES)[number]["id"];
export const ROLE_IDS = ROLES.map((role) => role.id) as [RoleId, ...RoleId[]];

export const roleOf = (id: RoleId) => ROLES.find((role) => role.id === id) as (typeof ROLES)[number];
export const rightsOf = (id: RoleId): readonly Right[] => roleOf(id).rights;

/** What a right is asked for with: the thing it is about. Everything is of the whole installation so far. */
export interface About {
  type: string;
  id?: number | string;
}
export const INSTALLATION: About = { type: "installation" };

/** Who wants something: a person, a program with a token, or the machine itself. */
export interface Holder {
  name: string;
  rights: readonly Right[];
}

/**
 * Why somebody may not do something, as a sentence; undefined where they may.
 * @param _about what the right is asked for; roles hold for the whole installation so far
 */
export function whyNot(who: Holder, right: Right, _about: About): string | undefined {
  return who.rights.includes(right) ? undefined : `${who.name} does not have the right ${RIGHT_IN_WORDS[right]}.`;
}

/** What a button says that one may not press, or undefined where one may. */
export function whyNotMe(rights: readonly Right[], right: Right): string | undefined {
  if (rights.includes(right)) return undefined;
  const least = ROLES.find((role) => (role.rights as readonly Right[]).includes(right));
  return `You do not have the right ${RIGHT_IN_WORDS[right]}; that takes the role ${least?.label ?? "Administrator"}.`;
}
