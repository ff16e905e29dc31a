// Writes each built file that gets smaller by it a second time as Brotli, so that the server need not compress.
import { readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { brotliCompressSync, constants } from 'node:zlib';

const skip = /\.(woff2|br)$/;
for (const name of readdirSync('dist', { recursive: true })) {
  const file = `dist/${name}`;
  if (skip.test(name) || !statSync(file).isFile()) continue;
  const plain = readFileSync(file);
  const small = brotliCompressSync(plain, {
    params: {
      [constants.BROTLI_PARAM_QUALITY]: 11,
      [constants.BROTLI_PARAM_SIZE_HINT]: plain.length,
      [constants.BROTLI_PARAM_MODE]: constants.BROTLI_MODE_TEXT,
    },
  });
  if (small.length < plain.length) writeFileSync(`${file}.br`, small);
}
