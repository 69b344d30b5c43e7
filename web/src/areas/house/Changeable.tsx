/** A list that a manager changes: its rows, with "New" and "Change" for whoever may, and the dialog that both open. */

import { type ReactNode, useState } from 'react';
import { useMay } from '../../app/session';
import { Button } from '../../ui/controls';
import { Empty, Row, Scroller, Sheet, Spread, Table } from '../../ui/layout';

export function Changeable<T extends { id: string }>(p: {
  title: string;
  /** The words on the button that adds one. */
  create: string;
  /** What stands where nothing is listed yet. */
  empty?: string;
  head?: ReactNode;
  items: T[];
  nameOf: (item: T) => string;
  /** The cells of a row. */
  cells: (item: T) => ReactNode;
  dialog: (old: T | null, onClose: () => void) => ReactNode;
  /** Who changes it, when it is not who sets the clinic. */
  needs?: string;
  /** What stands below the list. */
  after?: ReactNode;
  /** Adding one is what this page is mainly for. */
  main?: boolean;
}) {
  const may = useMay();
  const [open, setOpen] = useState<T | 'new' | null>(null);
  return (
    <Sheet>
      <Row>
        <h2>{p.title}</h2>
        <Spread />
        {may(p.needs ?? 'set_clinic') && (
          <Button {...(p.main ? { $kind: 'filled' } : {})} onPress={() => setOpen('new')}>
            {p.create}
          </Button>
        )}
      </Row>
      {p.items.length === 0 && p.empty && <Empty>{p.empty}</Empty>}
      <Scroller>
        <Table>
          {p.head && (
            <thead>
              <tr>
                {p.head}
                <th />
              </tr>
            </thead>
          )}
          <tbody>
            {p.items.map((item) => (
              <tr key={item.id}>
                {p.cells(item)}
                <td className="number">
                  {may(p.needs ?? 'set_clinic') && (
                    <Button $kind="quiet" onPress={() => setOpen(item)} aria-label={`Change ${p.nameOf(item)}`}>
                      Change
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
      {p.after}
      {open && p.dialog(open === 'new' ? null : open, () => setOpen(null))}
    </Sheet>
  );
}

/** The foot of a settings dialog: what is in use may be used no more, and the one filled button saves. */
export function SaveRow(p: {
  what: string;
  old: boolean;
  busy: boolean;
  save: (active: boolean) => void;
  /** It can only be used no more. */
  fixed?: boolean | undefined;
  children?: ReactNode;
}) {
  return (
    <Row>
      {p.children}
      {p.old && (
        <Button $kind="stop" isDisabled={p.busy} onPress={() => p.save(false)}>
          Use it no more
        </Button>
      )}
      <Spread />
      {!p.fixed && (
        <Button $kind="filled" isDisabled={p.busy} onPress={() => p.save(true)}>
          Save the {p.what}
        </Button>
      )}
    </Row>
  );
}
