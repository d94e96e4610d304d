// node scripts/performance.mjs: draws docs/performance.svg from the figures kept in docs/performance.json.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './lib/packages.mjs';

const { bars } = JSON.parse(readFileSync(join(root, 'docs/performance.json'), 'utf8'));
const left = 330;
const wide = 360;
const line = 30;
const height = bars.length * line + 46;
const most = Math.max(...bars.flatMap((b) => [b.ratio, b.wanted]));
const x = (ratio) => left + (ratio / most) * wide;
const text = (s) => String(s).replace(/&/g, '&amp;').replace(/</g, '&lt;');

const drawn = bars.map(({ what, ratio, wanted }, i) => {
  const y = 34 + i * line;
  const isMet = ratio <= wanted;
  return `<text x="${left - 10}" y="${y + 14}" text-anchor="end">${text(what)}</text>
  <rect x="${left}" y="${y}" width="${(x(ratio) - left).toFixed(1)}" height="18" rx="2" fill="${isMet ? '#1d7f72' : '#b87a1f'}"/>
  <line x1="${x(wanted).toFixed(1)}" x2="${x(wanted).toFixed(1)}" y1="${y - 4}" y2="${y + 22}" stroke="#24272e" stroke-width="2"/>
  <text x="${(Math.max(x(ratio), x(wanted)) + 8).toFixed(1)}" y="${y + 14}">${ratio.toFixed(2)}${isMet ? '' : ' (more than wanted)'}</text>`;
});
writeFileSync(
  join(root, 'docs/performance.svg'),
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 860 ${height}" width="860" height="${height}" font-family="IBM Plex Sans, sans-serif" font-size="13" fill="#24272e">
  <rect width="860" height="${height}" fill="#fbfaf7"/>
  <text x="16" y="20" font-weight="600">Measured ratios; the upright line is what is wanted at most</text>
  ${drawn.join('\n  ')}
</svg>
`,
);
