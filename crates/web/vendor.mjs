// Makes crates/web/static/vendor: the pinned npm packages, and the styles of the pages (crates/web/styles).
//   npm ci && npm run vendor              writes it anew
//   npm ci && npm run vendor -- --check   says whether it is what would be written
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { PurgeCSS } from 'purgecss';
import * as sass from 'sass';

const root = join(dirname(fileURLToPath(import.meta.url)), '..', '..');
const web = (...path) => join(root, 'crates', 'web', ...path);
const from = (...path) => join(root, 'node_modules', ...path);

const ICONS = [
  'arrow-counterclockwise',
  'download', 'exclamation-triangle', 'file-earmark', 'info-circle', 'moon-stars', 'plus-lg', 'printer',
  'question-circle', 'search', 'shield-exclamation', 'sun-fill', 'upload', 'wifi-off',
];
const FONT = '@fontsource-variable/atkinson-hyperlegible-next';

const withoutMap = (text) => text.replace(/\n?\/[/*][#@] sourceMappingURL=.*/g, '');

/** Bootstrap as far as the pages use it, then our own parts. */
async function styles() {
  const built = (name) => sass.compile(web('styles', name), {
    loadPaths: [from()], style: 'compressed', charset: false, quietDeps: true,
    // Bootstrap 5 is written with @import, which the compiler is to drop one day: with a pinned version nothing changes meanwhile.
    silenceDeprecations: ['import'],
  }).css;
  const [bootstrap] = await new PurgeCSS().purge({
    css: [{ raw: built('bootstrap.scss') }],
    content: ['templates/**/*.html', 'src/**/*.rs', 'static/*.js'].map((pattern) => web(pattern)),
  });
  return bootstrap.css + built('flindo.scss');
}

function icons() {
  const symbols = ICONS.map((name) => {
    const svg = readFileSync(from('bootstrap-icons', 'icons', `${name}.svg`), 'utf8');
    const inner = svg.slice(svg.indexOf('>') + 1, svg.lastIndexOf('</svg>')).trim();
    return `<symbol id="${name}" viewBox="0 0 16 16">${inner}</symbol>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg">\n${symbols.join('\n')}\n</svg>\n`;
}

/** The package names its licence in package.json and carries no text of it. */
function alpineLicence() {
  const mit = readFileSync(from('bootstrap', 'LICENSE'), 'utf8').split('\n');
  const terms = mit.slice(mit.findIndex((line) => line.startsWith('Permission is hereby'))).join('\n');
  return `The MIT License (MIT)\n\nCopyright (c) Caleb Porzio and contributors\n\n${terms}`;
}

function readme() {
  const version = (name) => JSON.parse(readFileSync(from(name, 'package.json'), 'utf8')).version;
  const rows = [
    ['flindo.css, in part', 'bootstrap', 'MIT', 'bootstrap.LICENSE'],
    ['icons.svg', 'bootstrap-icons', 'MIT', 'bootstrap-icons.LICENSE'],
    ['alpine.js', '@alpinejs/csp', 'MIT', 'alpine.LICENSE'],
    ['atkinson-latin.woff2, atkinson-latin-ext.woff2', FONT, 'OFL-1.1', 'atkinson-hyperlegible-next.LICENSE'],
  ].map(([file, name, licence, text]) => `| ${file} | ${name} | ${version(name)} | ${licence} | ${text} |`);
  const head = '| file | package | version | licence | text |\n|---|---|---|---|---|';
  return `# Vendored for the browser\n\nMade by \`npm run vendor\`; do not edit.\n\n${head}\n${rows.join('\n')}\n`;
}

const files = {
  'bootstrap.LICENSE': readFileSync(from('bootstrap', 'LICENSE')),
  'bootstrap-icons.LICENSE': readFileSync(from('bootstrap-icons', 'LICENSE')),
  'atkinson-hyperlegible-next.LICENSE': readFileSync(from(FONT, 'LICENSE')),
  'alpine.LICENSE': alpineLicence(),
  'atkinson-latin.woff2': readFileSync(from(FONT, 'files', 'atkinson-hyperlegible-next-latin-wght-normal.woff2')),
  'atkinson-latin-ext.woff2': readFileSync(from(FONT, 'files', 'atkinson-hyperlegible-next-latin-ext-wght-normal.woff2')),
  'alpine.js': withoutMap(readFileSync(from('@alpinejs/csp', 'dist', 'cdn.min.js'), 'utf8')),
  'flindo.css': await styles(),
  'icons.svg': icons(),
  'README.md': readme(),
};
const vendor = web('static', 'vendor');
if (process.argv.includes('--check')) {
  const old = Object.entries(files).filter(([name, made]) => {
    const path = join(vendor, name);
    return !existsSync(path) || !readFileSync(path).equals(Buffer.from(made));
  });
  if (old.length > 0) {
    console.error(`crates/web/static/vendor is not what \`npm run vendor\` makes: ${old.map(([name]) => name).join(', ')}.`);
    process.exit(1);
  }
} else {
  rmSync(vendor, { recursive: true, force: true });
  mkdirSync(vendor, { recursive: true });
  for (const [name, made] of Object.entries(files)) writeFileSync(join(vendor, name), made);
}
