import Joi from 'joi';
import { boardMeanings, maskColours, type BoardChoice, type PanelChoice } from './choice.ts';

const figure = Joi.number().strict();
const meaning = Joi.string().valid(...boardMeanings);

const panelSchema = Joi.object<PanelChoice>({
  columns: figure.integer().min(1).max(50).required().label('Columns'),
  rows: figure.integer().min(1).max(50).required().label('Rows'),
  join: Joi.string().valid('scored', 'tabs').required(),
  gap: figure.min(0.8).max(20).required().label('Gap'),
  rail: figure.min(0).max(50).required().label('Rail'),
  tabs: figure.integer().min(1).max(10).required().label('Tabs'),
  tabWidth: figure.min(1).max(50).required().label('Tab'),
  fiducials: Joi.boolean().strict().required(),
  tooling: Joi.boolean().strict().required(),
});

/** How a drawing becomes a board, as it comes from outside. */
export const boardSchema = Joi.object<BoardChoice>({
  thickness: figure.min(0.1).max(10).required().label('Thickness'),
  copperMicrons: figure.min(5).max(500).required().label('Copper'),
  copper: Joi.string().valid('none', 'top', 'both').required(),
  mask: Joi.string()
    .valid(...maskColours)
    .required(),
  clearance: figure.min(0.02).max(20).required().label('Clearance'),
  ring: figure.min(0).max(20).required().label('Ring'),
  maskGrow: figure.min(0).max(5).required().label('Mask expansion'),
  profileWidth: figure.min(0.01).max(2).required().label('Line of the profile'),
  legendWidth: figure.min(0.01).max(5).required().label('Line of the legend'),
  innerRadius: figure.min(0).max(20).required().label('Inner radius'),
  orderSpot: Joi.object({
    x: figure.min(-9999).max(9999).required(),
    y: figure.min(-9999).max(9999).required(),
    side: Joi.string().valid('top', 'bottom').required(),
  })
    .allow(null)
    .required(),
  panel: panelSchema.allow(null).required(),
  names: Joi.string().valid('standard', 'trade').required(),
  byLayer: Joi.object().pattern(Joi.string().max(255), meaning).max(1000).required(),
  byColour: Joi.object()
    .pattern(Joi.string().pattern(/^#[0-9a-f]{6}$/), meaning)
    .max(1000)
    .default({}),
  byContour: Joi.object()
    .pattern(Joi.string().pattern(/^\d{1,7}$/), meaning)
    .max(100_000)
    .required(),
});
