import type { Right } from "#core/people/rights";
import { verifyAudit } from "../store/audit";
import type { Db } from "../store/database";
import { capacitiesPage } from "./capacities";
import { capacityPage } from "./capacity";
import { accessPage, credentialPage, credentialsPage } from "./credentials";
import { coveragePage, namingPage } from "./coverage";
import { discoverPage, sourcePage, sweepPage } from "./discover";
import { collectionPage } from "./collection";
import { componentPage } from "./component";
import { estatePage, samplesPage } from "./estate";
import { findPage } from "./find";
import { identityPage } from "./identity";
import { listAccounts } from "../store/people";
import { savedViews, type ViewedPage } from "../store/saved-views";
import { listServices } from "../store/services";
import { incidentPage } from "./incident/page";
import { incidentList } from "./incidents";
import { shiftPage } from "./shift";
import { triagePage } from "./triage";
import { logPage, logsPage } from "./logs";
import { mapPage } from "./map/page";
import { mapPanel } from "./map/panel";
import { changesPage } from "./changes";
import { objectivePage } from "./objective";
import { onCallPage, rotationCalendar, rotationPage } from "./on-call";
import { relationPage } from "./relation";
import { relationsByHandPage } from "./relations-by-hand";
import { siblingsPage } from "./siblings";
import { serviceStructurePage, whatIfPage } from "./structure";
import { measuredPage, metricsPage, seriesChoices } from "./metrics";
import { accountPage, holderOf, invitationPage, peoplePage, signInPage, tokensPage } from "./people";
import { differencesPage, reviewPage } from "./review";
import { mappingPage, mappingsPage } from "./mappings";
import { platformPage, platformsPage } from "./platforms";
import { chorePage, choresPage } from "./chores";
import { notesKit, preventionPage } from "./prevention";
import { plannedWorkFormPage, plannedWorkPage, plannedWorkTried } from "./planned-work";
import { policiesPage, policyPage, policyTried } from "./policies";
import { shellNow } from "./shell";
import { runbookEditorPage, runbookPage, runbookRead, runbooksPage, runOutput, runPage } from "./runbooks";
import { servicePage, serviceSignals } from "./service";
import { serviceFormPage } from "./service-form";
import { alarmsPage } from "./alarms";
import { ruleAdvice } from "./advice";
import { unusualPage } from "./unusual";
import { auditPage, rulePage, rulePreview, rulesPage, servicesPage, storePage } from "./setup";
import { signalsSetupPage } from "./setup-signals";
import { jobsPage } from "./jobs";
import { kitFile, kitPage, kitsPage } from "./kits";
import { certificatesPage, softwarePage } from "./software";
import { spendDataPage, spendPage } from "./spend";
import { spendLines } from "./spend-lines";
import { spendIdlePage } from "./spend-idle";
import {
  channelPage,
  channelsPage,
  messagePage,
  messagesPage,
  tellingPage,
  tellingRulePage,
  tellingTried,
  templatePage,
  templatePreview,
  templatesPage,
} from "./telling";
import { tracePage, tracesPage } from "./traces";
import { watchPage } from "./watch";
import { attempts } from "../store/drills";
import { savedQueries } from "../store/saved-queries";

/**
 * Every question a page can ask of the store. They are answered by the reading threads, never by the one that serves
 * pages.
 */
export const questions = {
  watch: watchPage,
  estate: estatePage,
  collection: collectionPage,
  differences: differencesPage,
  review: reviewPage,
  software: softwarePage,
  certificates: certificatesPage,
  jobs: jobsPage,
  mappings: mappingsPage,
  mapping: mappingPage,
  capacity: capacityPage,
  capacities: capacitiesPage,
  platforms: platformsPage,
  platform: platformPage,
  spend: spendPage,
  spendIdle: spendIdlePage,
  spendLines,
  spendData: spendDataPage,
  telling: tellingPage,
  tellingRule: tellingRulePage,
  tellingTried,
  channels: channelsPage,
  channel: channelPage,
  templates: templatesPage,
  template: templatePage,
  templatePreview,
  messages: messagesPage,
  message: messagePage,
  onCall: onCallPage,
  shellNow,
  rotation: rotationPage,
  rotationCalendar,
  component: componentPage,
  identity: identityPage,
  relationsByHand: relationsByHandPage,
  samples: samplesPage,
  service: servicePage,
  serviceSignals,
  serviceForm: serviceFormPage,
  find: findPage,
  map: mapPage,
  mapPanel,
  relation: relationPage,
  objective: objectivePage,
  siblings: siblingsPage,
  changes: changesPage,
  unusual: unusualPage,
  alarms: alarmsPage,
  plannedWork: plannedWorkPage,
  plannedWorkForm: plannedWorkFormPage,
  plannedWorkTried,
  ruleAdvice,
  serviceStructure: serviceStructurePage,
  whatIf: whatIfPage,
  metrics: metricsPage,
  seriesChoices,
  measured: measuredPage,
  logs: logsPage,
  log: logPage,
  traces: tracesPage,
  trace: tracePage,
  incidents: incidentList,
  incident: incidentPage,
  triage: triagePage,
  shift: shiftPage,
  views: (db: Db, { page, who }: { page: ViewedPage; who: string }) =>
    savedViews(db, page, who).map(({ id, name, query }) => ({ id, name, query })),
  serviceNames: (db: Db, _asked: object) => listServices(db).map(({ id, name }) => ({ id, name })),
  peopleNames: (db: Db, _asked: object) =>
    listAccounts(db)
      .filter((one) => one.closedAt === null)
      .map((one) => one.name),
  discover: discoverPage,
  coverage: coveragePage,
  naming: namingPage,
  sweep: sweepPage,
  source: sourcePage,
  runbooks: runbooksPage,
  runbook: runbookPage,
  runbookEditor: runbookEditorPage,
  runbookRead,
  runOutput,
  policies: policiesPage,
  policy: policyPage,
  policyTried,
  prevention: preventionPage,
  notesKit,
  kits: kitsPage,
  kit: kitPage,
  kitFile,
  chores: choresPage,
  chore: chorePage,
  run: runPage,
  rules: rulesPage,
  rule: rulePage,
  rulePreview,
  services: servicesPage,
  store: storePage,
  signalsSetup: signalsSetupPage,
  savedQueries: (db: Db, _asked: object) => savedQueries(db),
  attempts: (db: Db, _asked: object) => attempts(db),
  audit: auditPage,
  auditCheck: (db: Db, _asked: object) => verifyAudit(db),
  people: peoplePage,
  credentials: credentialsPage,
  credential: credentialPage,
  access: accessPage,
  tokens: tokensPage,
  account: accountPage,
  signIn: signInPage,
  invitation: invitationPage,
  holder: holderOf,
} as const;

/** What a question takes where it is more than to read; for the last ones nobody is signed in yet. */
const TAKES: Partial<Record<QuestionName, Right | "door">> = {
  audit: "administer",
  auditCheck: "administer",
  people: "administer",
  tokens: "administer",
  signIn: "door",
  invitation: "door",
  holder: "door",
};

/** The right that a question takes; "door" for those which only the sign-in itself asks. */
export const rightToAsk = (name: QuestionName): Right | "door" => TAKES[name] ?? "read";

export type Questions = typeof questions;
export type QuestionName = keyof Questions;
export type Asked<Name extends QuestionName> = Parameters<Questions[Name]>[1];
export type Answer<Name extends QuestionName> = ReturnType<Questions[Name]>;
