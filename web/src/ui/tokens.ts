/** The only place with raw values: colours, sizes, spaces. Everything else names them. */

const light = {
  paper: '#FBF8F2',
  sheet: '#FFFFFF',
  well: '#F1ECE1',
  line: '#DDD5C5',
  ink: '#1C1747',
  quiet: '#5A5574',
  indigo: '#3A2FA0',
  pressed: '#221A66',
  selected: '#E9E6F8',
  onIndigo: '#FFFFFF',
  kelp: '#1E6F55',
  kelpGround: '#E3F1EB',
  brass: '#8A5A00',
  brassGround: '#FBF0D9',
  coral: '#B3372B',
  coralGround: '#FBE9E6',
  tide: '#13628F',
  tideGround: '#E2F0F8',
  veil: 'rgba(28, 23, 71, 0.32)',
  spine: '#1C1747',
  onSpine: '#D9D4F5',
  spineHover: '#312B63',
};

const night: typeof light = {
  paper: '#14122A',
  sheet: '#1D1A38',
  well: '#262245',
  line: '#403B66',
  ink: '#F3F0FF',
  quiet: '#B9B3DA',
  indigo: '#A79FFF',
  pressed: '#C6C0FF',
  selected: '#322C66',
  onIndigo: '#14122A',
  kelp: '#7FD3B4',
  kelpGround: '#173A31',
  brass: '#F0C36A',
  brassGround: '#3D3013',
  coral: '#FF9D90',
  coralGround: '#47201C',
  tide: '#85CBF2',
  tideGround: '#143447',
  veil: 'rgba(0, 0, 0, 0.55)',
  spine: '#262245',
  onSpine: '#D9D4F5',
  spineHover: '#39346A',
};

type Name = keyof typeof light;

/** `color.ink` is a CSS variable, so that the night theme is a change of values alone. */
export const color = Object.fromEntries(Object.keys(light).map((name) => [name, `var(--${name})`])) as Record<
  Name,
  string
>;

const variables = (theme: typeof light) =>
  Object.entries(theme)
    .map(([name, value]) => `--${name}: ${value};`)
    .join('\n');

export const lightVariables = variables(light);
export const nightVariables = variables(night);

export const size = { small: '13px', body: '15px', head: '18px', title: '24px', great: '32px' };
const others = "'Noto Sans', 'Noto Sans Arabic'";
// Last, behind the machine's own letters: it has signs too, and would be fetched for the glyphs of visit types.
const last = "'Noto Sans SC'";
export const font = {
  words: `'Atkinson Hyperlegible Next', ${others}, system-ui, sans-serif, ${last}`,
  mono: `'Atkinson Hyperlegible Mono', ${others}, ui-monospace, monospace, ${last}`,
};
export const space = (steps: number) => `${steps * 4}px`;
/** Sides of the icons, in pixels. */
export const icon = { small: 16, usual: 18, large: 20 };
export const corner = '6px';
/** The small corner of what lies inside something with a corner. */
export const innerCorner = '4px';
/** The one thin line, and the ring of what has the focus. */
export const hair = '1px solid var(--line)';
export const ring = '2px solid var(--indigo)';
export const ringGap = '2px';
/** The coloured edge that tells a kind or a stage. */
export const edgeWidth = '5px';
export const ledge = '6px';
/** Widths of lines that are drawn. */
export const stroke = { hair: '1px', box: '1.5px', thin: '2px', edge: '3px', thick: '4px' };
/** The compact visit line: its nine marks, wide or tight on a card, in pixels of its picture. */
export const strip = {
  gap: 3,
  tightGap: 1,
  mark: 13,
  tightMark: 7,
  height: 6,
  current: 12,
  corner: 2,
  line: 1,
  ring: 2,
  /** Of a blocked one, the parts of its height and width that its notch leaves. */
  notch: { high: 0.55, wide: 0.7 },
};
/** The picture of a child's growth, in units of its own drawing. */
export const curves = {
  wide: 780,
  high: 400,
  edge: { left: 48, right: 44, top: 12, bottom: 36 },
  /** Names beside the lines, and how far they stay apart. */
  name: { gap: 4, drop: 4, apart: 15, left: 6, below: 18 },
  /** Room for a value above its point, in the picture of one measure. */
  value: { above: 24, gap: 9 },
  middle: 1.5,
  line: 0.8,
  dashes: '4 3',
  own: 2,
  dot: 3.5,
  last: 5,
  /** What was taken meanwhile, a bar each. */
  plot: { bar: 24, gap: 4 },
};
/** The full visit line: its dots and the rail between them. */
export const rail = { column: '22px', inset: '7px', from: '14px', past: '-4px', dot: '16px' };
export const river = { height: '22px', corner: '11px', least: '4px', swatch: '14px', column: '16px' };
export const control = {
  height: '36px',
  quiet: '28px',
  box: '18px',
  list: '340px',
  shortList: '320px',
  fewRows: '156px',
};
export const dialog = { usual: '560px', wide: '860px' };
export const pageWidth = '1080px';
/** Grounds that tell parts of the amount river apart without their colour. */
export const fineHatch = (ink: string) => `repeating-linear-gradient(135deg, ${ink} 0 3px, transparent 3px 7px)`;
export const bars = (ink: string) => `repeating-linear-gradient(90deg, ${ink} 0 6px, transparent 6px 9px)`;
/** Ground of time that cannot be booked. */
export const hatch = (ground: string) => `repeating-linear-gradient(135deg, ${ground} 0 6px, transparent 6px 12px)`;
export const shadow = '0 8px 28px rgba(28, 23, 71, 0.16)';
export const quick = '120ms';
export const spineWidth = '84px';
export const barHeight = '56px';
export const stripHeight = '40px';
/** The spine lying at the bottom of a phone. */
export const footHeight = '62px';
/** The quick line with what it understands, over the sheet. */
export const atHandHeight = '112px';
export const signInWidth = '860px';
export const commandWidth = '420px';
export const companionWidth = '320px';
/** Below this width the companion folds; below `phone` the spine lies at the bottom. */
export const narrow = '1100px';
export const phone = '640px';
/** Below this width two columns of a page stand below each other. */
export const half = '900px';
/** A scan beside its fields, and above them where there is no room for both. */
export const scan = { beside: '78vh', above: '40vh' };
/** Widths of the parts that pages are laid out from. */
export const part = {
  count: '84px',
  field: '160px',
  /** Five in a row on a sheet: dose, how often, days, dispense, refills. */
  doseField: '136px',
  wideField: '190px',
  cardHeight: '96px',
  dayCell: '96px',
  pastCell: '60px',
  lane: '220px',
  berth: '190px',
  list: '290px',
  quay: '310px',
  pane: '340px',
  /** The sheet of a visit: labels of parts, the measure of the words, and the margin for what belongs to them. */
  gutter: '84px',
  measure: '640px',
  margin: '248px',
  wideTable: '960px',
};
/** Schedule: pixels of one minute, and the width of a clinician's column. */
export const minuteHeight = 2.2;
export const columnPixels = 186;
/** A column when there are more than fit: names and glyphs, the rest on hover. */
export const tightColumnPixels = 98;
export const tightFrom = 7;
export const timeWidth = '56px';
export const cardInset = '3px';
/** Grounds and edges of visit types, by their names. */
export const grounds: Record<string, string> = {
  sheet: color.sheet,
  tide: color.tideGround,
  kelp: color.kelpGround,
  brass: color.brassGround,
  indigo: color.selected,
};
export const edges: Record<string, string> = {
  solid: 'solid',
  double: 'double',
  dashed: 'dashed',
  dotted: 'dotted',
  ridge: 'ridge',
  thin: 'solid',
};
