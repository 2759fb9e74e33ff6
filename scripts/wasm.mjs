// node scripts/wasm.mjs: compiles core/wasm to the machine code that ships in core/src/signal/transform-code.ts.
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { main } from 'assemblyscript/asc';

const at = path => fileURLToPath(new URL(`../${path}`, import.meta.url));

let code;
const { error, stderr } = await main(
  ['transform.as.ts', '--enable', 'simd', '-O3', '--runtime', 'stub', '--importMemory', '--noExportMemory', '-o', 'o'],
  {
    readFile: name => (name === 'transform.as.ts' ? readFileSync(at(`core/wasm/${name}`), 'utf8') : null),
    writeFile: (_, contents) => void (code = contents),
    listFiles: () => [],
  },
);
if (error) throw new Error(`${error.message}\n${stderr}`);
const hex = Buffer.from(code).toString('hex');
const text = `/** Compiled from core/wasm/transform.as.ts by scripts/wasm.mjs; bytes in hexadecimal. */\nexport const TRANSFORM_CODE =\n  '${hex}';\n`;
if (process.argv[2] === '--print') process.stdout.write(text);
else writeFileSync(at('core/src/signal/transform-code.ts'), text);
