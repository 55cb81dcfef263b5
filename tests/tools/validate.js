// Validates glTF files with the reference validator; prints one line a file: errors, warnings, first message.
const fs = require('fs'), path = require('path'), validator = require('gltf-validator');
(async () => {
  for (const file of process.argv.slice(2)) {
    const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)), {
      uri: path.basename(file),
      externalResourceFunction: uri => Promise.resolve(new Uint8Array(fs.readFileSync(path.join(path.dirname(file), decodeURIComponent(uri)))))
    });
    const first = report.issues.messages.find(m => m.severity === 0);
    console.log(report.issues.numErrors, report.issues.numWarnings, first ? `${first.code} ${first.pointer} ${first.message}` : '');
  }
})().catch(e => { console.log(-1, 0, String(e)); process.exit(1); });
