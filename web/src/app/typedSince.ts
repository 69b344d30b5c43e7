/** What of a field was typed since its words were sent: a slow answer takes nothing from somebody who types on. */
export const typedSince = (sent: string) => (now: string) =>
  now.startsWith(sent) ? now.slice(sent.length).replace(/^[\s,;]+/, '') : now;
