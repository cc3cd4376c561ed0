/**
 * How one setting is declared. Types, defaults, validation, sliders, help and command-line text all derive from such tables;
 * nothing about a setting is written twice. Ids are permanent: they stand in saved plans.
 */
export interface NumberParam {
  readonly kind: 'number';
  readonly label: string;
  readonly unit: 'dB' | 'ms' | 'Hz' | ':1' | '%' | 'Q';
  readonly min: number;
  readonly max: number;
  readonly default: number;
  /** Smallest step a slider or key press makes; typed values may be finer. */
  readonly step: number;
  /** Where a slider spends its travel: evenly, evenly in octaves, or mostly on the small values. */
  readonly scale: 'linear' | 'log' | 'square';
  /** The end of the range where the setting turns into something else: gate, silence, off. `from` included. */
  readonly end?: { readonly at: 'min' | 'max'; readonly from: number; readonly text: string };
  readonly help: string;
}

export interface ChoiceParam {
  readonly kind: 'choice';
  readonly label: string;
  readonly options: readonly { readonly value: string | number; readonly label: string }[];
  readonly default: string | number;
  readonly help: string;
}

export interface SwitchParam {
  readonly kind: 'switch';
  readonly label: string;
  readonly default: boolean;
  readonly help: string;
}

/** A reference to another mic of the plan by its id; the empty text means the mic itself. */
export interface MicParam {
  readonly kind: 'mic';
  readonly label: string;
  readonly default: '';
  readonly help: string;
}

export type Param = NumberParam | ChoiceParam | SwitchParam | MicParam;
export type ParamTable = Readonly<Record<string, Param>>;

type ValueOf<P> = P extends NumberParam
  ? number
  : P extends ChoiceParam
    ? P['options'][number]['value']
    : P extends SwitchParam
      ? boolean
      : string;

/** The settings object that a table describes. */
export type SettingsOf<T extends ParamTable> = { -readonly [K in keyof T]: ValueOf<T[K]> };

/** Every setting at its default. */
export function defaultsOf<T extends ParamTable>(table: T): SettingsOf<T> {
  return Object.fromEntries(Object.entries(table).map(([id, p]) => [id, p.default])) as SettingsOf<T>;
}
