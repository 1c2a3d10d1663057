import type { Db } from "../store/database";
import { discoverPage, sourcePage, sweepPage } from "./discover";
import { componentPage } from "./component";
import { estatePage, findPage, samplesPage } from "./estate";
import { incidentList, incidentPage } from "./incidents";
import { logPage, logsPage } from "./logs";
import { mapPage } from "./map";
import { measuredPage, metricsPage, seriesChoices } from "./metrics";
import { runbookPage, runbooksPage, runPage } from "./runbooks";
import { servicePage } from "./service";
import { auditPage, rulePage, rulePreview, rulesPage, servicesPage, storePage, trayPage } from "./setup";
import { signalsSetupPage } from "./setup-signals";
import { tracePage, tracesPage } from "./traces";
import { ribbon, watchPage } from "./watch";
import { savedQueries } from "../store/saved-queries";

/**
 * Every question a page can ask of the store. They are answered by the reading threads, never by the one that serves
 * pages.
 */
export const questions = {
  watch: watchPage,
  ribbon,
  estate: estatePage,
  component: componentPage,
  samples: samplesPage,
  service: servicePage,
  find: findPage,
  map: mapPage,
  metrics: metricsPage,
  seriesChoices,
  measured: measuredPage,
  logs: logsPage,
  log: logPage,
  traces: tracesPage,
  trace: tracePage,
  incidents: incidentList,
  incident: incidentPage,
  discover: discoverPage,
  sweep: sweepPage,
  source: sourcePage,
  runbooks: runbooksPage,
  runbook: runbookPage,
  run: runPage,
  rules: rulesPage,
  rule: rulePage,
  rulePreview,
  services: servicesPage,
  store: storePage,
  signalsSetup: signalsSetupPage,
  savedQueries: (db: Db, _asked: object) => savedQueries(db),
  tray: trayPage,
  audit: auditPage,
} as const;

export type Questions = typeof questions;
export type QuestionName = keyof Questions;
export type Asked<Name extends QuestionName> = Parameters<Questions[Name]>[1];
export type Answer<Name extends QuestionName> = ReturnType<Questions[Name]>;
