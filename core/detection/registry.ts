import { burn } from "./burn";
import { calls } from "./calls";
import type { AnyDetector, CallDetector, LogDetector, ObjectiveDetector, SeriesDetector } from "./detector";
import { logs } from "./logs";
import { threshold } from "./threshold";
import { trend } from "./trend";
import { usual } from "./usual";

/** Every way of judging. A new one is a file, and a line here. */
const DETECTORS: readonly AnyDetector[] = [
  threshold as SeriesDetector,
  usual as SeriesDetector,
  trend as SeriesDetector,
  calls as CallDetector,
  logs as LogDetector,
  burn as ObjectiveDetector,
];

const byType = new Map(DETECTORS.map((one) => [one.type, one]));

export const detectors = (): readonly AnyDetector[] => DETECTORS;

/** The detector of a type; undefined for one of a later version. */
export const detectorOf = (type: string): AnyDetector | undefined => byType.get(type);
