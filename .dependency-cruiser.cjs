/** The arrows of docs/architecture.md: web, server and cli -> core; core imports nobody. */
module.exports = {
  forbidden: [
    {
      name: 'core-imports-nobody',
      severity: 'error',
      from: { path: '^packages/core/src', pathNot: '\\.spec\\.ts$' },
      to: { path: '^(apps|demo|packages/node|bench|e2e)/' },
    },
    {
      name: 'core-without-node',
      severity: 'error',
      from: { path: '^packages/core/src', pathNot: '(\\.spec|-fixture)\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'web-reaches-server-by-http',
      severity: 'error',
      from: { path: '^apps/web' },
      to: { path: '^(apps/(server|cli)|demo|packages/node)/' },
    },
    {
      name: 'server-not-web-or-cli',
      severity: 'error',
      from: { path: '^apps/server' },
      to: { path: '^apps/(web|cli)/' },
    },
    {
      name: 'cli-not-server-or-web',
      severity: 'error',
      from: { path: '^apps/cli' },
      to: { path: '^apps/(server|web)/' },
    },
    {
      name: 'kernels-below-methods',
      severity: 'error',
      from: { path: '^packages/core/src/numeric', pathNot: '\\.spec\\.ts$' },
      to: { path: '^packages/core/src/(methods|method|formats|api)/' },
    },
    {
      // Types may know of each other; what runs may not wait for itself.
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)(dist|node_modules)/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'require', 'node', 'default'],
      extensions: ['.ts', '.js', '.json'],
    },
  },
};
