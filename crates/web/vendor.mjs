// Renews crates/web/static/vendor from the pinned npm packages: npm ci && npm run vendor
import { copyFileSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import * as sass from 'sass';

const root = join(dirname(fileURLToPath(import.meta.url)), '..', '..');
const from = (...path) => join(root, 'node_modules', ...path);
const vendor = join(root, 'crates', 'web', 'static', 'vendor');
const to = (name) => join(vendor, name);

const ICONS = [
  'arrow-counterclockwise',
  'download', 'exclamation-triangle', 'file-earmark', 'info-circle', 'moon-stars', 'plus-lg', 'printer',
  'question-circle', 'search', 'shield-exclamation', 'sun-fill', 'upload', 'wifi-off',
];
const FONT = '@fontsource-variable/atkinson-hyperlegible-next';

rmSync(vendor, { recursive: true, force: true });
mkdirSync(vendor, { recursive: true });
copyFileSync(from('bootstrap', 'LICENSE'), to('bootstrap.LICENSE'));
copyFileSync(from('bootstrap-icons', 'LICENSE'), to('bootstrap-icons.LICENSE'));
copyFileSync(from(FONT, 'LICENSE'), to('atkinson-hyperlegible-next.LICENSE'));
for (const part of ['latin', 'latin-ext']) {
  copyFileSync(from(FONT, 'files', `atkinson-hyperlegible-next-${part}-wght-normal.woff2`), to(`atkinson-${part}.woff2`));
}
const withoutMap = (text) => text.replace(/\n?\/[/*][#@] sourceMappingURL=.*/g, '');
// Bootstrap 5 is written with @import, which the compiler is to drop one day: with a pinned version nothing changes meanwhile.
const styles = sass.compile(join(root, 'crates', 'web', 'bootstrap.scss'), {
  loadPaths: [from()], style: 'compressed', charset: false, quietDeps: true, silenceDeprecations: ['import'],
});
writeFileSync(to('bootstrap.css'), styles.css);
writeFileSync(to('alpine.js'), withoutMap(readFileSync(from('@alpinejs/csp', 'dist', 'cdn.min.js'), 'utf8')));

const symbols = ICONS.map((name) => {
  const svg = readFileSync(from('bootstrap-icons', 'icons', `${name}.svg`), 'utf8');
  const inner = svg.slice(svg.indexOf('>') + 1, svg.lastIndexOf('</svg>')).trim();
  return `<symbol id="${name}" viewBox="0 0 16 16">${inner}</symbol>`;
});
writeFileSync(to('icons.svg'), `<svg xmlns="http://www.w3.org/2000/svg">\n${symbols.join('\n')}\n</svg>\n`);

const version = (name) => JSON.parse(readFileSync(from(name, 'package.json'), 'utf8')).version;
const rows = [
  ['bootstrap.css', 'bootstrap', 'MIT', 'bootstrap.LICENSE'],
  ['icons.svg', 'bootstrap-icons', 'MIT', 'bootstrap-icons.LICENSE'],
  ['alpine.js', '@alpinejs/csp', 'MIT', 'alpine.LICENSE'],
  ['atkinson-latin.woff2, atkinson-latin-ext.woff2', FONT, 'OFL-1.1', 'atkinson-hyperlegible-next.LICENSE'],
];
// The package names its licence in package.json and carries no text of it.
const mit = readFileSync(from('bootstrap', 'LICENSE'), 'utf8').split('\n');
const terms = mit.slice(mit.findIndex((line) => line.startsWith('Permission is hereby'))).join('\n');
writeFileSync(to('alpine.LICENSE'), `The MIT License (MIT)\n\nCopyright (c) Caleb Porzio and contributors\n\n${terms}`);
writeFileSync(
  to('README.md'),
  `# Vendored for the browser\n\nMade by \`npm run vendor\`; do not edit.\n\n| file | package | version | licence | text |\n|---|---|---|---|---|\n${rows
    .map(([file, name, licence, text]) => `| ${file} | ${name} | ${version(name)} | ${licence} | ${text} |`)
    .join('\n')}\n`,
);
