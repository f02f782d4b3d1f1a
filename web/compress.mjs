// Makes the small forms that the server sends to browsers that take them.
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, gzipSync } from 'node:zlib';

const folder = 'dist/app';
for (const name of readdirSync(folder, { recursive: true })) {
  const path = join(folder, name);
  if (!statSync(path).isFile() || !/\.(js|css|html|svg)$/.test(path)) continue;
  const data = readFileSync(path);
  writeFileSync(`${path}.br`, brotliCompressSync(data));
  writeFileSync(`${path}.gz`, gzipSync(data, { level: 9 }));
}
