const swc = {
  jsc: {
    target: 'es2022',
    parser: { syntax: 'typescript', decorators: true, tsx: true },
    transform: {
      legacyDecorator: true,
      decoratorMetadata: true,
      useDefineForClassFields: false,
      react: { runtime: 'automatic' },
    },
    keepClassNames: true,
  },
  module: { type: 'es6' },
};
const common = {
  transform: { '^.+\\.tsx?$': ['@swc/jest', swc] },
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
  moduleNameMapper: { '^(\\.{1,2}/.*)\\.js$': '$1' },
  testMatch: ['<rootDir>/src/**/*.spec.{ts,tsx}'],
};
const onNode = {
  ...common,
  testEnvironment: 'node',
  testEnvironmentOptions: { customExportConditions: ['source', 'node', 'node-addons'] },
};

export default {
  // Some tests start servers and load data, on machines that may be slow.
  testTimeout: 180_000,
  projects: [
    { ...onNode, displayName: 'core', rootDir: 'packages/core' },
    { ...onNode, displayName: 'server', rootDir: 'apps/server' },
    { ...onNode, displayName: 'fleet', rootDir: 'apps/fleet' },
    { ...onNode, displayName: 'lab', rootDir: 'lab' },
    {
      ...common,
      displayName: 'web',
      rootDir: 'apps/web',
      testEnvironment: 'jsdom',
      testEnvironmentOptions: { customExportConditions: ['source', 'browser'] },
      setupFilesAfterEnv: ['<rootDir>/src/testing/setup.ts'],
      moduleNameMapper: { '\\.css$': '<rootDir>/src/testing/empty.ts', ...common.moduleNameMapper },
    },
  ],
};
