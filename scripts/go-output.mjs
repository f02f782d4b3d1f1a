// Prints what `go test -json` has to say: a line for each package, and everything when tests failed.
import { createInterface } from 'node:readline';

const all = process.argv[2] !== '0';
for await (const line of createInterface({ input: process.stdin })) {
  const { Output } = JSON.parse(line);
  if (all || /^(ok|FAIL|panic)\b/.test(Output)) process.stdout.write(Output);
}
