'use client';
import { useState } from 'react';
import type { ReadChoices } from 'tall-kite/model/choices';

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
  const box = (name: 'solids' | 'surfaces' | 'meshes' | 'heal', label: string) => (
    <label>
      <input type="checkbox" checked={choices[name]} onChange={(e) => set({ ...choices, [name]: e.target.checked })} /> {label}
    </label>
  );
  return (
    <>
      <button className="plain" aria-expanded={open} onClick={() => setOpen(!open)}>
        How files are read{changed ? ' (changed)' : ''}
      </button>
      {open && (
        <div className="readingchoices" role="group" aria-label="How files are read">
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
              <select className="typed" value={choices.bad} onChange={(e) => set({ ...choices, bad: e.target.value as ReadChoices['bad'] })}>
                <option value="keep">is kept as far as it goes</option>
                <option value="leave">is left out</option>
                <option value="stop">stops the reading</option>
              </select>
            </label>
          </span>
          <b>Up in OBJ, PLY and OFF</b>
          <select className="typed" aria-label="Up axis" value={choices.up} onChange={(e) => set({ ...choices, up: e.target.value as ReadChoices['up'] })}>
            <option value="find">find out by how it stands</option>
            <option value="z">Z is up</option>
            <option value="y">Y is up</option>
          </select>
          <b>Drawings (DXF, SVG)</b>
          <span>
            <label>
              <input type="checkbox" checked={choices.hidden ?? false} onChange={(e) => set({ ...choices, hidden: e.target.checked })} /> take layers that are
              off or frozen
            </label>
            <br />
            <label>
              layers of SVG from{' '}
              <select
                className="typed"
                value={choices.layersFrom ?? 'groups'}
                onChange={(e) => set({ ...choices, layersFrom: e.target.value as 'groups' | 'colours' })}
              >
                <option value="groups">groups</option>
                <option value="colours">colours</option>
              </select>
            </label>
          </span>
          <b>Parts without a colour</b>
          <span>
            <label>
              <input type="checkbox" checked={choices.colour !== null} onChange={(e) => set({ ...choices, colour: e.target.checked ? '#8796b0' : null })} /> get
              one
            </label>{' '}
            {choices.colour !== null && (
              <input type="color" aria-label="Colour" value={choices.colour} onChange={(e) => set({ ...choices, colour: e.target.value })} />
            )}
          </span>
          <b>Variant of the design</b>
          <span>
            <input
              className="typed"
              aria-label="Variant"
              value={variant}
              maxLength={60}
              placeholder="none: the design itself"
              onChange={(e) => setVariant(e.target.value)}
            />
          </span>
          <span />
          <span>
            <button
              className="plain small"
              disabled={!changed}
              onClick={() => {
                set(usual);
                setVariant('');
              }}
            >
              As usual again
            </button>{' '}
            <span className="context">Holds for the files that you bring in next.</span>
          </span>
        </div>
      )}
    </>
  );
}
