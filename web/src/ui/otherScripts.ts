/** Letters that our type family lacks, for names as they are written: Greek, Cyrillic, Arabic, Chinese. The browser fetches a
 *  piece of them only when something on the page is written in it. */

import '@fontsource/noto-sans/cyrillic-400.css';
import '@fontsource/noto-sans/cyrillic-ext-400.css';
import '@fontsource/noto-sans/greek-400.css';
import '@fontsource/noto-sans/greek-ext-400.css';
import '@fontsource/noto-sans/vietnamese-400.css';
import '@fontsource/noto-sans-arabic/arabic-400.css';
import '@fontsource/noto-sans-sc/400.css';
