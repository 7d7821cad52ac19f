// Validates glTF files, and prints what is wrong with each: node validate.mjs FILE...
import { readFileSync } from 'node:fs';
import validator from 'gltf-validator';

let faults = 0;
for (const file of process.argv.slice(2)) {
  const { issues } = await validator.validateBytes(new Uint8Array(readFileSync(file)), { maxIssues: 20 });
  faults += issues.numErrors + issues.numWarnings;
  console.log(`${file}: ${issues.numErrors} errors, ${issues.numWarnings} warnings`);
  for (const message of issues.messages)
    if (message.severity < 2) console.log(`  ${message.code} at ${message.pointer}: ${message.message}`);
}
process.exit(faults === 0 ? 0 : 1);
