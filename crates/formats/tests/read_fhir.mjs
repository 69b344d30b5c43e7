// An independent reading of the R4 definitions: every finding of the resources in a file, one JSON document a line.
import { createRequire } from 'node:module';
import { readFileSync } from 'node:fs';

const require = createRequire(new URL('../../../web/package.json', import.meta.url));
const { Fhir } = require('fhir/fhir');
const reader = new Fhir();

for (const line of readFileSync(process.argv[2], 'utf8').split('\n').filter(Boolean)) {
  const { name, resource } = JSON.parse(line);
  // What the reader only remarks (a text that is not there, a binding that is no rule) is left out.
  const found = reader
    .validate(resource, { errorOnUnexpected: true })
    .messages.filter((m) => m.severity === 'error' || m.severity === 'fatal');
  for (const m of found) console.log(`${name}: ${m.resourceId ?? ''} ${m.location}: ${m.message}`);
}
