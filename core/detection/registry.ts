import { burn } from "./burn";
import { calls } from "./calls";
import { changes } from "./changes";
import { composite } from "./composite";
import type {
  AnyDetector,
  ArrivalDetector,
  CallDetector,
  ChangeDetector,
  JobDetector,
  LogDetector,
  ObjectiveDetector,
  SeriesDetector,
  StateDetector,
} from "./detector";
import { difference } from "./difference";
import { jobs } from "./jobs";
import { logs } from "./logs";
import { move } from "./move";
import { silence } from "./silence";
import { threshold } from "./threshold";
import { trend } from "./trend";
import { usual } from "./usual";

/** Every way of judging. A new one is a file, and a line here. */
const DETECTORS: readonly AnyDetector[] = [
  threshold as SeriesDetector,
  usual as SeriesDetector,
  trend as SeriesDetector,
  move as SeriesDetector,
  difference as SeriesDetector,
  calls as CallDetector,
  logs as LogDetector,
  burn as ObjectiveDetector,
  silence as ArrivalDetector,
  changes as ChangeDetector,
  jobs as JobDetector,
  composite as StateDetector,
];

const byType = new Map(DETECTORS.map((one) => [one.type, one]));

export const detectors = (): readonly AnyDetector[] => DETECTORS;

/** The detector of a type; undefined for one of a later version. */
export const detectorOf = (type: string): AnyDetector | undefined => byType.get(type);
