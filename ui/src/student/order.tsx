import {
  DndContext,
  type DragCancelEvent,
  type DragEndEvent,
  type DragOverEvent,
  type DragStartEvent,
  KeyboardSensor,
  PointerSensor,
  closestCenter,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import { SortableContext, rectSortingStrategy, sortableKeyboardCoordinates, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { type CSSProperties, type ReactNode, useEffect, useMemo, useRef } from 'react';
import { useTranslation } from 'react-i18next';
import type { Entry } from '../api/client';
import { reordered } from './ranks';
import type { Desk } from './desk';

/** A ranked list whose items are dragged by a handle, with the pointer or the keyboard. */
export function Ranked(props: {
  desk: Desk;
  entries: Entry[];
  list: 'requests' | 'alternates';
  className: string;
  item: (e: Entry, handle: ReactNode) => ReactNode;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const { t } = useTranslation();
  const order = props.entries.map((e) => e.course);
  const { title } = props.desk.book;
  // What is read out must stay the same object: where it is exchanged in the middle of a drag, a sentence is lost.
  const latest = useRef({ t, title, order });
  useEffect(() => {
    latest.current = { t, title, order };
  });
  const accessibility = useMemo(() => {
    const say = (key: string, id: unknown, over: unknown) => {
      const now = latest.current;
      return now.t(key, { course: now.title(String(id)), at: now.order.indexOf(String(over ?? id)) + 1, of: now.order.length });
    };
    return {
      screenReaderInstructions: { draggable: t('order.note') },
      announcements: {
        onDragStart: ({ active }: DragStartEvent) => say('drag.start', active.id, active.id),
        onDragOver: ({ active, over }: DragOverEvent) => say('drag.over', active.id, over?.id),
        onDragEnd: ({ active, over }: DragEndEvent) => say('drag.end', active.id, over?.id),
        onDragCancel: ({ active }: DragCancelEvent) => say('drag.cancel', active.id, active.id),
      },
    };
  }, [t]);
  return (
    <DndContext
      sensors={sensors}
      accessibility={accessibility}
      collisionDetection={closestCenter}
      onDragEnd={({ active, over }) => {
        const from = order.indexOf(String(active.id));
        const to = over ? order.indexOf(String(over.id)) : from;
        if (from !== to) props.desk.change(reordered(props.entries, props.list, String(active.id), to - from));
      }}
    >
      <SortableContext items={order} strategy={rectSortingStrategy}>
        <ol className={props.className}>
          {props.entries.map((e) => (
            <Item key={e.course} desk={props.desk} entry={e} item={props.item} />
          ))}
        </ol>
      </SortableContext>
    </DndContext>
  );
}

function Item({ desk, entry, item }: { desk: Desk; entry: Entry; item: (e: Entry, handle: ReactNode) => ReactNode }) {
  const { t } = useTranslation();
  const { setNodeRef, attributes, listeners, transform, isDragging } = useSortable({
    id: entry.course,
    disabled: !desk.sheet.acts.edit.allowed,
  });
  const style: CSSProperties = { transform: CSS.Transform.toString(transform), zIndex: isDragging ? 10 : undefined };
  const handle = desk.sheet.acts.edit.allowed && (
    <button
      type="button"
      {...attributes}
      {...listeners}
      aria-label={t('order.handle', { course: desk.book.title(entry.course) })}
      className="grid min-h-7 w-6 shrink-0 cursor-grab touch-none place-items-center rounded text-soft hover:bg-wash"
    >
      <svg width="8" height="12" viewBox="0 0 8 12" aria-hidden="true" fill="currentColor">
        <path d="M0 2h8v1.4H0zM0 5.3h8v1.4H0zM0 8.6h8V10H0z" />
      </svg>
    </button>
  );
  return (
    <li ref={setNodeRef} style={style} className={isDragging ? 'relative shadow-lg' : ''}>
      {item(entry, handle)}
    </li>
  );
}
