import { createGlobalStyle } from 'styled-components';
import { color, font, innerCorner, lightVariables, nightVariables, quick, ring, ringGap, size } from './tokens';

export const GlobalStyle = createGlobalStyle`
  :root { ${lightVariables} color-scheme: light; }
  :root[data-theme='night'] { ${nightVariables} color-scheme: dark; }
  *, *::before, *::after { box-sizing: border-box; }
  html, body, #root { height: 100%; }
  body {
    margin: 0; background: ${color.paper}; color: ${color.ink};
    font: 400 ${size.body}/1.45 ${font.words}; font-variant-numeric: tabular-nums;
    -webkit-font-smoothing: antialiased;
  }
  h1, h2, h3, p, ul, ol, dl, dd { margin: 0; padding: 0; }
  h1 { font-size: ${size.title}; line-height: 1.2; font-weight: 700; letter-spacing: -0.01em; }
  h2 { font-size: ${size.head}; line-height: 1.3; font-weight: 700; }
  h3 { font-size: ${size.body}; font-weight: 700; }
  ul, ol { list-style: none; }
  a { color: ${color.indigo}; text-underline-offset: ${ringGap}; }
  button, input, textarea, select { font: inherit; color: inherit; }
  :focus { outline: none; }
  :focus-visible, [data-focus-visible] { outline: ${ring}; outline-offset: ${ringGap}; border-radius: ${innerCorner}; }
  /* Of a panel with something in focus only that something is ringed. */
  [role='tabpanel']:has(:focus) { outline: none; }
  ::selection { background: ${color.selected}; }
  /* Of what is pressed, and of its colours alone: whatever else changed would be drawn again and again. */
  button, a, input, textarea { transition: color ${quick}, background-color ${quick}, border-color ${quick}; }
  @media (prefers-reduced-motion: reduce) { * { transition: none !important; animation: none !important; } }
  body[data-locked] > *:not([data-lock]) { display: none !important; }
  @media print {
    body { background: white; color: black; }
    [data-print='off'] { display: none !important; }
    [data-print='sheet'] { position: static !important; box-shadow: none !important; border: 0 !important; }
  }
`;
