import { Input, Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { DndContext, KeyboardSensor, PointerSensor, closestCenter, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { SortableContext, arrayMove, horizontalListSortingStrategy, sortableKeyboardCoordinates, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { useMemo, useState } from 'react';
import { nameFields, type NameField, type NamePiece } from 'tall-kite/release/names';
import widths from '@/shell/widths.module.css';
import style from './releases.module.css';

const fieldWords: Record<NameField, string> = {
  job: 'job',
  part: 'part name',
  number: 'part number',
  variant: 'variant',
  body: 'body index',
  material: 'material',
  thickness: 'thickness',
  quantity: 'quantity',
  revision: 'revision',
  receiver: 'receiver',
  unit: 'unit',
  date: 'date',
};

/** A name composed of pieces: fields and plain text, put in order by dragging or by keys. */
export function NameChips({ label, pieces, set, folder }: { label: string; pieces: NamePiece[]; set: (p: NamePiece[]) => void; folder?: boolean }) {
  const [text, setText] = useState('');
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const ids = useMemo(() => pieces.map((_, i) => `${label} ${i}`), [pieces, label]);
  const end = ({ active, over }: DragEndEvent) => {
    if (over && active.id !== over.id) set(arrayMove(pieces, ids.indexOf(String(active.id)), ids.indexOf(String(over.id))));
  };
  const add = (piece: NamePiece) => set([...pieces, piece]);
  const addText = () => {
    if (text !== '') add({ text });
    setText('');
  };
  return (
    <div className={style.namechips} data-test="namechips" role="group" aria-label={label}>
      <span>{label}</span>
      <DndContext id={label} sensors={sensors} collisionDetection={closestCenter} onDragEnd={end}>
        <SortableContext items={ids} strategy={horizontalListSortingStrategy}>
          <span className={style.chips}>
            {pieces.length === 0 && <span className="context">{folder ? 'no folder: all files side by side' : 'nothing yet: add a piece'}</span>}
            {pieces.map((piece, i) => (
              <Chip key={ids[i]} id={ids[i]} piece={piece} remove={() => set(pieces.filter((_, k) => k !== i))} />
            ))}
          </span>
        </SortableContext>
      </DndContext>
      <span className={style.adders}>
        <Choice
          value=""
          label={`Add a piece to the ${label.toLowerCase()}`}
          onChange={(value) => value !== '' && add({ field: value as NameField })}
          options={[{ value: '', label: 'add a piece …' }, ...nameFields.map((f) => ({ value: f, label: fieldWords[f] }))]}
        />
        <Input
          className={widths.w86}
          aria-label={`Plain text for the ${label.toLowerCase()}`}
          placeholder="text"
          value={text}
          maxLength={60}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter') {
              e.preventDefault();
              addText();
            }
          }}
          size="small"
        />
        <Button disabled={text === ''} onClick={addText} size="small">
          Add text
        </Button>
        {folder && (
          <Button disabled={pieces.length === 0} onClick={() => add({ text: '/' })} title="A folder below" size="small">
            / below
          </Button>
        )}
      </span>
    </div>
  );
}

function Chip({ id, piece, remove }: { id: string; piece: NamePiece; remove: () => void }) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id });
  const word = 'field' in piece ? fieldWords[piece.field] : piece.text.replace(/ /g, '\u2423');
  return (
    <span
      ref={setNodeRef}
      className={`${style.chip} ${'field' in piece ? '' : style.text}`}
      data-test={'field' in piece ? 'chip' : 'chip-text'}
      style={{ transform: CSS.Translate.toString(transform), transition, opacity: isDragging ? 0.6 : 1 }}
    >
      <span {...attributes} {...listeners} className={style.grip} data-test="grip" aria-label={`${word}: press Space, then arrows, to move it`}>
        {word}
      </span>
      <Button type="text" size="small" aria-label={`Take ${word} out`} onClick={remove}>
        ×
      </Button>
    </span>
  );
}
