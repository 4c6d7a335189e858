// Which part may use which: checked by `npm test` (scripts/rooms.mjs), types included. docs/architecture.md says why.

/** The rooms of each part from the ground up: each uses only those before it. Rooms in one entry are one floor. */
export const rooms = {
  core: [
    'schema.ts',
    'words.ts',
    'mailboxes',
    'people',
    'letter',
    'enclosures',
    'paper',
    'proof',
    'dispatch',
    'rehearsal',
    'responses',
    'record',
    'index.ts',
  ],
  server: [
    ['db', 'settings.ts', 'secrets.ts', 'clock.ts', 'events.ts', 'problem.ts', 'who.ts'],
    'processes',
    'http',
    'accounts',
    'files',
    'threads',
    'mailboxes',
    'people',
    'letter',
    'rounds',
    'enclosures',
    'paper',
    'proof',
    'dispatch',
    'rehearsal',
    'responses',
    'record',
    'backup',
    ['app', 'index.ts', 'main.ts'],
  ],
  web: [
    ['shared', 'api.ts'],
    'mailboxes',
    'people',
    'rounds',
    'letter',
    'enclosures',
    'paper',
    'proof',
    'dispatch',
    'rehearsal',
    'record',
    'responses',
    'backup',
    'accounts',
    'desk',
    'main.tsx',
  ],
}

const names = (floor) => [floor].flat().map((name) => name.replaceAll('.', '[.]'))
const pathOf = (part, floors) => `^packages/${part}/src/(${floors.flatMap(names).join('|')})(/|$)`

const upwards = Object.entries(rooms).flatMap(([part, floors]) =>
  floors.slice(0, -1).map((floor, i) => ({
    name: `${part}: ${names(floor).join(', ')} uses nothing above it`,
    severity: 'error',
    from: { path: pathOf(part, [floor]), pathNot: '[.]test[.]tsx?$' },
    to: { path: pathOf(part, floors.slice(i + 1)) },
  })),
)
const onlyParts = (part, others) => ({
  name: `${part} uses ${others.length > 0 ? others.join(' and ') : 'no other part'}`,
  severity: 'error',
  from: { path: `^packages/${part}/src/`, pathNot: '[.]test[.]tsx?$' },
  to: { path: `^packages/(?!${[part, ...others].join('/|')}/)` },
})

export default {
  forbidden: [
    { name: 'no circle', severity: 'error', from: {}, to: { circular: true } },
    { name: 'every import is there', severity: 'error', from: {}, to: { couldNotResolve: true } },
    ...upwards,
    onlyParts('core', []),
    onlyParts('contract', ['core']),
    onlyParts('server', ['core', 'contract']),
    onlyParts('web', ['core', 'contract']),
    onlyParts('practice', []),
  ],
  options: {
    parser: 'swc',
    doNotFollow: { path: ['node_modules'] },
    tsPreCompilationDeps: true,
    moduleSystems: ['es6'],
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'require', 'node', 'default'] },
  },
}
