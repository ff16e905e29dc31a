// Writes the fonts of the first load: fonts/fonts.css and the files beside it. What a page's own sentences need comes first, in files that have only their letters, so that a first load is
// small; other letters, as in names, come with the whole fonts when they are met.
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname } from 'node:path';
import subsetFont from 'subset-font';

const { resolve } = createRequire(import.meta.url);
const sentences = ['en', 'es'].flatMap((language) => {
  const list = [];
  JSON.parse(
    readFileSync(`../locales/${language}.json`, 'utf8'),
    (_, value) => (typeof value === 'string' && list.push(value.replaceAll(/\{\{.*?\}\}|<[^>]*>/g, '')), value),
  );
  return list;
});
const usual = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789 &'$€@#!*_+=\u00a0\u202f"; // also in names, amounts and addresses
const letters = [...new Set(usual + sentences.join(''))].filter((c) => c >= ' ').sort((a, b) => a.codePointAt(0) - b.codePointAt(0));
const runs = [];
for (const code of letters.map((c) => c.codePointAt(0))) {
  if (runs.at(-1)?.[1] === code - 1) runs.at(-1)[1] = code;
  else runs.push([code, code]);
}
const hex = (code) => code.toString(16).toUpperCase();
const range = runs.map(([from, to]) => (from === to ? `U+${hex(from)}` : `U+${hex(from)}-${hex(to)}`)).join(',');

mkdirSync('fonts', { recursive: true });
let css = '/* Written by fonts.mjs. */\n';
for (const [font, family, weight] of [
  ['atkinson-hyperlegible-next', 'Atkinson Hyperlegible Next', 400],
  ['atkinson-hyperlegible-next', 'Atkinson Hyperlegible Next', 600],
  ['fraunces', 'Fraunces', 500],
]) {
  const sheet = resolve(`@fontsource/${font}/${weight}.css`);
  // The whole faces, as one format: every browser that runs the rest reads woff2.
  css += readFileSync(sheet, 'utf8')
    .replaceAll(/, url\([^)]*\) format\('woff'\)/g, '')
    .replaceAll(/\.\/files\/([^)]*)/g, (_, file) => {
      copyFileSync(`${dirname(sheet)}/files/${file}`, `fonts/${file}`);
      return `./${file}`;
    });
  const whole = readFileSync(`${dirname(sheet)}/files/${font}-latin-${weight}-normal.woff2`);
  const first = `${font}-first-${weight}.woff2`;
  const keepFeatures = ['ccmp', 'kern', 'liga', 'lnum', 'locl', 'mark', 'tnum'];
  writeFileSync(`fonts/${first}`, await subsetFont(whole, letters.join(''), { targetFormat: 'woff2', keepFeatures }));
  // Where two faces have a letter, the later one is taken (CSS Fonts 4, section 4.5).
  css += `\n@font-face { font-family: '${family}'; font-style: normal; font-display: swap; font-weight: ${weight}; src: url(./${first}) format('woff2'); unicode-range: ${range}; }\n`;
}
writeFileSync('fonts/fonts.css', css);
