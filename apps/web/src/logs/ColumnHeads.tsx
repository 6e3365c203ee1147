import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import {
  arrayMove,
  horizontalListSortingStrategy,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
} from '@dnd-kit/sortable';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';
import type { Column } from './columns.js';
import { tracks } from './LinesList.js';
import classes from './logs.module.css';

interface Props {
  columns: readonly Column[];
  onChange: (columns: Column[]) => void;
}

/** The heads of the columns: dragged into another order, made wider, taken away. */
export function ColumnHeads({ columns, onChange }: Props) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  // While a column is drawn wider, the list need not be drawn anew.
  const [drawn, setDrawn] = useState<Column>();
  const shown = columns.map((column) => (column.field === drawn?.field ? drawn : column));
  const fields = columns.map(({ field }) => field);
  const drop = ({ active, over }: DragEndEvent): void => {
    if (over && active.id !== over.id)
      onChange(arrayMove([...columns], fields.indexOf(String(active.id)), fields.indexOf(String(over.id))));
  };
  return (
    <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={drop}>
      <SortableContext items={fields} strategy={horizontalListSortingStrategy}>
        <div className={classes.heads} style={{ gridTemplateColumns: tracks(shown) }}>
          <span />
          <span>time</span>
          {shown.map((column) => (
            <Head
              key={column.field}
              column={column}
              onResize={setDrawn}
              onResized={(width) => {
                setDrawn(undefined);
                onChange(columns.map((own) => (own.field === column.field ? { ...own, width } : own)));
              }}
              onRemove={() => onChange(columns.filter(({ field }) => field !== column.field))}
            />
          ))}
          <span>text</span>
        </div>
      </SortableContext>
    </DndContext>
  );
}

interface HeadProps {
  column: Column;
  onResize: (column: Column) => void;
  onResized: (width: number) => void;
  onRemove: () => void;
}

function Head({ column, onResize, onResized, onRemove }: HeadProps) {
  const { attributes, listeners, setNodeRef, transform } = useSortable({ id: column.field });
  const { field, width } = column;
  const widthAt = (event: React.PointerEvent): number =>
    Math.max(48, event.clientX - event.currentTarget.parentElement!.getBoundingClientRect().left);
  return (
    <span
      ref={setNodeRef}
      className={classes.headCell}
      style={transform ? { transform: `translateX(${transform.x}px)` } : undefined}
      data-testid="column"
    >
      <span {...attributes} {...listeners} className={classes.headName} title={`${field}: drag to move`}>
        {field}
      </span>
      <button
        type="button"
        className={classes.headRemove}
        aria-label={`Take the column ${field} away`}
        onClick={onRemove}
      >
        <IconX size={11} />
      </button>
      <span
        className={classes.headEdge}
        role="separator"
        aria-orientation="vertical"
        aria-label={`Width of ${field}`}
        aria-valuenow={Math.round(width)}
        tabIndex={0}
        onKeyDown={(event) => {
          if (event.key === 'ArrowRight') onResized(width + 16);
          if (event.key === 'ArrowLeft') onResized(Math.max(48, width - 16));
        }}
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={(event) => event.buttons === 1 && onResize({ field, width: widthAt(event) })}
        onPointerUp={(event) => onResized(widthAt(event))}
      />
    </span>
  );
}
