import '@fontsource/atkinson-hyperlegible-mono/400.css';
import '@fontsource/atkinson-hyperlegible-next/400.css';
import '@fontsource/atkinson-hyperlegible-next/600.css';
import '@fontsource/atkinson-hyperlegible-next/700.css';
import { createRoot } from 'react-dom/client';
import { StyleSheetManager } from 'styled-components';
import { App } from './app/App';
import { beginTheme } from './app/theme';

const nonce = document.querySelector<HTMLMetaElement>('meta[name=csp-nonce]')?.content ?? '';
(window as unknown as Record<string, string>)['__webpack_nonce__'] = nonce;
beginTheme();

// After the first paint: nobody waits for letters that are seldom met.
window.setTimeout(() => void import('./ui/otherScripts'), 0);

const root = document.getElementById('root');
if (root)
  createRoot(root).render(
    <StyleSheetManager nonce={nonce}>
      <App />
    </StyleSheetManager>,
  );
