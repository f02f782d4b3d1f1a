// Adds up the tests of all runners, names those that failed, and ends with the one line `N passed, N failed`.
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const [folder, failedSteps] = process.argv.slice(2);
let passed = 0;
let failed = 0;
const names = [];
const read = (name) => (existsSync(join(folder, name)) ? readFileSync(join(folder, name), 'utf8') : '');

for (const line of read('go.json').split('\n').filter(Boolean)) {
  const { Action, Package, Test } = JSON.parse(line);
  if (Test && Action === 'pass') passed++;
  if (Test && Action === 'fail') failed++;
  if (Test && Action === 'fail') names.push(`${Package} ${Test}`);
}
passed += read('soak').match(/^ *--- PASS/gm)?.length ?? 0;
failed += read('soak').match(/^ *--- FAIL/gm)?.length ?? 0;
const web = JSON.parse(read('web.json') || '{}');
passed += web.numPassedTests ?? 0;
failed += web.numFailedTests ?? 0;
const e2e = JSON.parse(read('e2e.json') || '{}');
passed += e2e.stats?.expected ?? 0;
failed += (e2e.stats?.unexpected ?? 0) + (e2e.stats?.flaky ?? 0);

for (const [, name] of read('soak').matchAll(/^ *--- FAIL: (\S+)/gm)) names.push(`soak ${name}`);
for (const file of web.testResults ?? [])
  for (const t of file.assertionResults) if (t.status === 'failed') names.push(`web ${t.fullName}`);
const inSuite = (suite) => {
  for (const spec of suite.specs ?? []) if (!spec.ok) names.push(`e2e ${spec.file} ${spec.title}`);
  suite.suites?.forEach(inSuite);
};
e2e.suites?.forEach(inSuite);
for (const name of names) console.log(`failed: ${name}`);

// A check that failed without naming a test counts as one.
failed = Math.max(failed, Number(failedSteps));
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed > 0 || passed === 0 ? 1 : 0);
