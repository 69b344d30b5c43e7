/** Values closed under a key: AES-GCM (NIST SP 800-38D) with a fresh nonce of 96 bits before each. */

const IV = 12;
const bytes = (hex: string) => Uint8Array.from(hex.match(/../g) ?? [], (pair) => parseInt(pair, 16));
const toText = (data: Uint8Array) => btoa(Array.from(data, (b) => String.fromCharCode(b)).join(''));
const fromText = (text: string) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0));

export async function sealed(key: CryptoKey, value: unknown): Promise<string> {
  const iv = crypto.getRandomValues(new Uint8Array(IV));
  const plain = new TextEncoder().encode(JSON.stringify(value));
  const closed = new Uint8Array(await crypto.subtle.encrypt({ name: 'AES-GCM', iv }, key, plain));
  const whole = new Uint8Array(IV + closed.length);
  whole.set(iv);
  whole.set(closed, IV);
  return toText(whole);
}

export async function unsealed(key: CryptoKey, text: string): Promise<unknown> {
  const whole = fromText(text);
  const iv = whole.slice(0, IV);
  const plain = await crypto.subtle.decrypt({ name: 'AES-GCM', iv }, key, whole.slice(IV));
  return JSON.parse(new TextDecoder().decode(plain));
}

export const keyFrom = (hex: string) =>
  crypto.subtle.importKey('raw', bytes(hex), 'AES-GCM', false, ['encrypt', 'decrypt']);
