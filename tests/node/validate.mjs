// Validates .glb files with the Khronos validator; prints every error and warning, exits 1 when there is one.
import { readFileSync } from 'node:fs';
import validator from 'gltf-validator';

let bad = 0;
for (const path of process.argv.slice(2)) {
  const report = await validator.validateBytes(new Uint8Array(readFileSync(path)), { maxIssues: 20 });
  for (const issue of report.issues.messages)
    if (issue.severity <= 1) {
      console.log(`${path}: ${issue.code} ${issue.pointer ?? ''} ${issue.message}`);
      ++bad;
    }
}
console.log(`${process.argv.length - 2} files, ${bad} errors and warnings`);
process.exit(bad ? 1 : 0);
