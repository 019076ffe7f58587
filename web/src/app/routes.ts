import { createRouter, createWebHistory } from 'vue-router'

/** Screens in the order of the rail; `press` is the key that opens one. */
export const SCREENS = [
  { name: 'fleet', words: 'Fleet', press: '1', glyph: 'fleet' },
  { name: 'findings', words: 'Findings', press: '2', glyph: 'findings' },
  { name: 'now', words: 'Now', press: 'n', glyph: 'now' },
  { name: 'server', words: 'Server', press: '3', glyph: 'server' },
  { name: 'ledger', words: 'Ledger', press: '4', glyph: 'ledger' },
  { name: 'strips', words: 'Strips', press: 's', glyph: 'strips' },
  { name: 'holdups', words: 'Holdups', press: 'h', glyph: 'holdups' },
  { name: 'statements', words: 'Statements', press: '5', glyph: 'statements' },
  { name: 'plan', words: 'Plan', press: '6', glyph: 'plan' },
  { name: 'compare', words: 'Compare', press: 'v', glyph: 'compare' },
  { name: 'changes', words: 'Changes', press: 'c', glyph: 'changes' },
  { name: 'log', words: 'Log', press: 'o', glyph: 'log' },
  { name: 'trials', words: 'Trials', press: '7', glyph: 'trials' },
  { name: 'reports', words: 'Reports', press: '8', glyph: 'reports' },
  { name: 'handbook', words: 'Handbook', press: '9', glyph: 'handbook' },
  { name: 'setup', words: 'Setup', press: '0', glyph: 'setup' },
] as const

/** The parts of Setup, in the order in which a fleet is set up. */
export const SETUP = [
  { name: 'servers', words: 'Servers', component: () => import('@/screens/setup/ServersScreen.vue') },
  { name: 'keyring', words: 'Keyring', component: () => import('@/screens/setup/KeyringScreen.vue') },
  { name: 'rules', words: 'Capture rules', component: () => import('@/screens/setup/RulesScreen.vue') },
  { name: 'figures', words: 'Own figures', component: () => import('@/screens/setup/FiguresScreen.vue') },
  { name: 'snapshots', words: 'Snapshots', component: () => import('@/screens/setup/SnapshotsScreen.vue') },
  { name: 'imports', words: 'Imports', component: () => import('@/screens/setup/ImportsScreen.vue') },
  { name: 'bundles', words: 'Bundles', component: () => import('@/screens/setup/BundlesScreen.vue') },
  { name: 'storage', words: 'Storage and price', component: () => import('@/screens/setup/StorageScreen.vue') },
  { name: 'health', words: 'Health', component: () => import('@/screens/setup/HealthScreen.vue') },
  { name: 'people', words: 'People', component: () => import('@/screens/setup/PeopleScreen.vue') },
  { name: 'you', words: 'You', component: () => import('@/screens/setup/YouScreen.vue') },
] as const

/** The parts of one server. */
export const SERVER_PARTS = [
  { name: 'server', path: '', words: 'Work', component: () => import('@/screens/server/ServerScreen.vue') },
  { name: 'server-objects', path: '/objects', words: 'Tables and indexes', component: () => import('@/screens/server/ServerObjectsScreen.vue') },
  { name: 'server-host', path: '/host', words: 'Host and storage', component: () => import('@/screens/server/ServerHostScreen.vue') },
  { name: 'server-sizing', path: '/sizing', words: 'Sizes', component: () => import('@/screens/server/ServerSizingScreen.vue') },
  { name: 'server-index-set', path: '/indexes', words: 'Index set', component: () => import('@/screens/server/ServerIndexSetScreen.vue') },
  { name: 'server-pins', path: '/pins', words: 'Pinned plans', component: () => import('@/screens/server/ServerPinsScreen.vue') },
  { name: 'server-figures', path: '/figures', words: 'All figures', component: () => import('@/screens/server/ServerFiguresScreen.vue') },
] as const

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/fleet' },
    { path: '/fleet', name: 'fleet', component: () => import('@/screens/fleet/FleetScreen.vue') },
    { path: '/findings', name: 'findings', component: () => import('@/screens/findings/FindingsScreen.vue') },
    { path: '/handbook', name: 'handbook', component: () => import('@/screens/handbook/HandbookScreen.vue') },
    ...SERVER_PARTS.map((part) => ({ path: `/servers/:server${part.path}`, name: part.name, component: part.component })),
    { path: '/servers/:server/tables/:table', name: 'server-table', component: () => import('@/screens/server/ServerTableScreen.vue') },
    { path: '/indexes', name: 'indexes', component: () => import('@/screens/indexes/IndexesScreen.vue') },
    { path: '/ledger', name: 'ledger', component: () => import('@/screens/ledger/LedgerScreen.vue') },
    { path: '/holdups', name: 'holdups', component: () => import('@/screens/holdups/HoldupsScreen.vue') },
    { path: '/statements', name: 'statements', component: () => import('@/screens/statements/StatementsScreen.vue') },
    { path: '/statements/:fingerprint', name: 'statement', component: () => import('@/screens/statement/StatementScreen.vue') },
    { path: '/strips', name: 'strips', component: () => import('@/screens/strips/StripsScreen.vue') },
    { path: '/compare', name: 'compare', component: () => import('@/screens/compare/CompareScreen.vue') },
    { path: '/now', name: 'now', component: () => import('@/screens/now/NowScreen.vue') },
    { path: '/log', name: 'log', component: () => import('@/screens/log/LogScreen.vue') },
    { path: '/clusters/:cluster', name: 'cluster', component: () => import('@/screens/cluster/ClusterScreen.vue') },
    { path: '/recurrences', name: 'recurrences', component: () => import('@/screens/recurrences/RecurrencesScreen.vue') },
    { path: '/changes', name: 'changes', component: () => import('@/screens/changes/ChangesScreen.vue') },
    { path: '/plans', name: 'plan', component: () => import('@/screens/plan/PlanReaderScreen.vue') },
    { path: '/servers/:server/plans/:plan', name: 'stored-plan', component: () => import('@/screens/plan/PlanScreen.vue') },
    { path: '/servers/:server/plans/:plan/against/:other', name: 'plans-beside', component: () => import('@/screens/plan/PlansBesideScreen.vue') },
    { path: '/servers/:server/texts', name: 'texts', component: () => import('@/screens/plan/TextsScreen.vue') },
    { path: '/trials', name: 'trials', component: () => import('@/screens/trials/TrialsScreen.vue') },
    { path: '/trials/new', name: 'new-trial', component: () => import('@/screens/trials/NewTrialScreen.vue') },
    { path: '/trials/expectations', name: 'expectations', component: () => import('@/screens/trials/ExpectationsScreen.vue') },
    { path: '/trials/:id(\\d+)', name: 'trial', component: () => import('@/screens/trials/TrialScreen.vue') },
    { path: '/trials/:id(\\d+)/against/:other(\\d+)', name: 'trials-against', component: () => import('@/screens/trials/AgainstScreen.vue') },
    { path: '/trials/:id(\\d+)/plans/:statement(\\d+)', name: 'trial-plans', component: () => import('@/screens/trials/ArmPlansScreen.vue') },
    { path: '/reports', name: 'reports', component: () => import('@/screens/reports/ReportsScreen.vue') },
    { path: '/setup', name: 'setup', redirect: '/setup/servers' },
    ...SETUP.map((part) => ({ path: `/setup/${part.name}`, name: `setup-${part.name}`, component: part.component })),
    { path: '/:rest(.*)', name: 'nowhere', component: () => import('@/app/NowhereScreen.vue') },
  ],
})
