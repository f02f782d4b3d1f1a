// Prints what `go test -json` has to say: a line for each package, and what failed tests said. A package that failed
// without any failed test says everything.
import { createInterface } from 'node:readline';

const said = new Map();
for await (const line of createInterface({ input: process.stdin })) {
  const { Action, Package, Test, Output } = JSON.parse(line);
  const key = `${Package} ${Test ?? ''}`;
  if (Action === 'build-output') process.stdout.write(Output);
  if (Action === 'output' && !Test && /^(ok|FAIL|panic)\b/.test(Output)) process.stdout.write(Output);
  if (Action === 'output') said.set(key, [...(said.get(key) ?? []), Output]);
  if (Action === 'fail') process.stdout.write(said.get(key)?.join('') ?? '');
  if (Action === 'pass') said.delete(key);
}
