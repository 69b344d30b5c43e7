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
export const font = {
  words: "'Atkinson Hyperlegible Next', system-ui, sans-serif",
  mono: "'Atkinson Hyperlegible Mono', ui-monospace, monospace",
};
export const space = (steps: number) => `${steps * 4}px`;
export const corner = '6px';
export const shadow = '0 8px 28px rgba(28, 23, 71, 0.16)';
export const quick = '120ms';
export const spineWidth = '84px';
export const companionWidth = '320px';
/** Below this width the companion folds; below `phone` the spine lies at the bottom. */
export const narrow = '1100px';
export const phone = '640px';
/** Schedule: pixels of one minute, and the width of a clinician's column. */
export const minuteHeight = 2.2;
export const columnWidth = '186px';
