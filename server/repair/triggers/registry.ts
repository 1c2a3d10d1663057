import type { Trigger } from "#core/repair/triggers/registry";
import { certificateEyes } from "./certificate";
import type { TriggerEyes } from "./due";
import { figureEyes } from "./figure";
import { timesEyes } from "./times";

const EYES = { times: timesEyes, figure: figureEyes, certificate: certificateEyes };

export const eyesOf = ({ type }: Trigger): TriggerEyes<Trigger> => EYES[type] as unknown as TriggerEyes<Trigger>;
