/**
 * What Ctrl+Enter presses: the main action of the innermost thing that is open, and never one that lies behind it.
 *
 * A dialog covers everything. Within the page, a form in which somebody types stands before the area around it; the companion
 * is asked only when nobody types in the work beside it.
 */

const shown = (button: HTMLElement) => !button.closest('[data-folded="true"]') && button.getClientRects().length > 0;

const last = (within: ParentNode, selector: string) =>
  [...within.querySelectorAll<HTMLButtonElement>(selector)].filter(shown).at(-1);

const MAIN = '[data-main-action]';

export function mainAction(): HTMLButtonElement | undefined {
  const dialog = last(document, '[role=dialog], [role=alertdialog]') as HTMLElement | undefined;
  if (dialog) return last(dialog, MAIN) ?? last(dialog, 'button[type=submit]');
  const focus = document.activeElement;
  const form = focus?.closest('form');
  const ofForm = form && (last(form, MAIN) ?? last(form, 'button[type=submit]'));
  if (ofForm) return ofForm;
  // What is open within the page, in place; nobody types outside of it.
  const inner =
    focus?.closest('[data-innermost]') ?? (focus === document.body ? last(document, '[data-innermost]') : null);
  const ofInner = inner && last(inner, MAIN);
  if (ofInner) return ofInner;
  const companion = document.querySelector('aside[aria-label="In hand"]');
  if (companion?.contains(focus)) return last(companion, MAIN);
  const work = document.getElementById('work');
  const ofWork = work ? last(work, MAIN) : undefined;
  const typing = focus?.matches('input, textarea, select') ?? false;
  return ofWork ?? (typing || !companion ? undefined : last(companion, MAIN));
}
