'use client';
import { Button, Checkbox, Input } from 'antd';
import { Choice, Ink } from '@/shell/controls.tsx';
import { useState } from 'react';
import type { ReadChoices } from 'tall-kite/model/choices';
import style from './ledger.module.css';

export const usual: ReadChoices = {
  solids: true,
  surfaces: true,
  meshes: true,
  colour: null,
  heal: true,
  bad: 'keep',
  up: 'find',
  hidden: false,
  layersFrom: 'groups',
};

/** What is taken from the files that are brought in next; one line that opens to all choices. */
export function ReadingChoices({
  choices,
  set,
  variant,
  setVariant,
}: {
  choices: ReadChoices;
  set: (c: ReadChoices) => void;
  variant: string;
  setVariant: (v: string) => void;
}) {
  const [open, setOpen] = useState(false);
  const changed = JSON.stringify(choices) !== JSON.stringify(usual) || variant !== '';
  return (
    <>
      <Button aria-expanded={open} onClick={() => setOpen(!open)}>
        How files are read{changed ? ' (changed)' : ''}
      </Button>
      {open && (
        <div className={style.readingchoices} role="group" aria-label="How files are read">
          <ForSolids choices={choices} set={set} />
          <ForDrawings choices={choices} set={set} />
          <b>Parts without a colour</b>
          <span>
            <Checkbox checked={choices.colour !== null} onChange={(e) => set({ ...choices, colour: e.target.checked ? '#8796b0' : null })}>
              get one
            </Checkbox>{' '}
            {choices.colour !== null && <Ink label="Colour" value={choices.colour} onChange={(colour) => set({ ...choices, colour })} />}
          </span>
          <b>Variant of the design</b>
          <span>
            <Input
              aria-label="Variant"
              value={variant}
              maxLength={60}
              placeholder="none: the design itself"
              onChange={(e) => setVariant(e.target.value)}
              size="small"
            />
          </span>
          <span />
          <span>
            <Button
              disabled={!changed}
              onClick={() => {
                set(usual);
                setVariant('');
              }}
              size="small"
            >
              As usual again
            </Button>{' '}
            <span className="context">Holds for the files that you bring in next.</span>
          </span>
        </div>
      )}
    </>
  );
}

type Chosen = { choices: ReadChoices; set: (c: ReadChoices) => void };

/** What is taken from solids and meshes. */
function ForSolids({ choices, set }: Chosen) {
  const box = (name: 'solids' | 'surfaces' | 'meshes' | 'heal', label: string) => (
    <Checkbox checked={choices[name]} onChange={(e) => set({ ...choices, [name]: e.target.checked })}>
      {label}
    </Checkbox>
  );
  return (
    <>
      <b>Take</b>
      <span>
        {box('solids', 'solids')} {box('surfaces', 'loose surfaces, sewn')} {box('meshes', 'meshes')}
        <br />
        <span className="context">Curves and points are listed, never taken.</span>
      </span>
      <b>Geometry that fails its check</b>
      <span>
        {box('heal', 'heal it;')}{' '}
        <label>
          what stays bad{' '}
          <Choice
            value={choices.bad}
            onChange={(value) => set({ ...choices, bad: value as ReadChoices['bad'] })}
            options={[
              { value: 'keep', label: 'is kept as far as it goes' },
              { value: 'leave', label: 'is left out' },
              { value: 'stop', label: 'stops the reading' },
            ]}
          />
        </label>
      </span>
      <b>Up in OBJ, PLY and OFF</b>
      <Choice
        value={choices.up}
        label="Up axis"
        onChange={(value) => set({ ...choices, up: value as ReadChoices['up'] })}
        options={[
          { value: 'find', label: 'find out by how it stands' },
          { value: 'z', label: 'Z is up' },
          { value: 'y', label: 'Y is up' },
        ]}
      />
    </>
  );
}

/** What is taken from drawings. */
function ForDrawings({ choices, set }: Chosen) {
  return (
    <>
      <b>Drawings (DXF, SVG, PDF)</b>
      <span>
        <Checkbox checked={choices.hidden ?? false} onChange={(e) => set({ ...choices, hidden: e.target.checked })}>
          take layers that are off or frozen
        </Checkbox>
        <br />
        <label>
          layers of SVG and PDF from{' '}
          <Choice
            value={choices.layersFrom ?? 'groups'}
            onChange={(value) => set({ ...choices, layersFrom: value as 'groups' | 'colours' })}
            options={[
              { value: 'groups', label: 'groups' },
              { value: 'colours', label: 'colours' },
            ]}
          />
        </label>
      </span>
      <b>Writing in drawings</b>
      <Choice
        value={choices.writing ?? 'leave'}
        label="Writing in drawings"
        onChange={(value) => set({ ...choices, writing: value === 'leave' ? undefined : (value as ReadChoices['writing']) })}
        options={[
          { value: 'leave', label: 'stays writing, which nobody cuts' },
          { value: 'outlines', label: 'is drawn as outlines, to engrave' },
          { value: 'single-line', label: 'is drawn as single lines, to engrave' },
        ]}
      />
    </>
  );
}
