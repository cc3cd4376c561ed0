/**
 * Coded errors. Every failure a person can meet has one code; the catalogue gives its HTTP status, a title and a hint that
 * says what to do. The interface, the server and the command line all speak from here, so that one failure has one wording.
 */
export interface ErrorEntry {
  readonly status: number;
  readonly title: string;
  readonly hint: string;
}

export const ERRORS = {
  WAV_NOT_WAV: { status: 415, title: 'Not a WAV file', hint: 'Export the mic as WAV (16, 24 or 32 bit, or 32-bit float) and drop it again.' },
  WAV_EMPTY: { status: 422, title: 'The file holds no audio', hint: 'Check that the export finished; a mic needs at least one sample.' },
  WAV_TRUNCATED: { status: 422, title: 'The file ends before its audio does', hint: 'Copy or export it again; the copy was probably interrupted.' },
  WAV_ENCODING: { status: 415, title: 'This WAV encoding is not supported', hint: 'Use 16, 24 or 32-bit integer PCM or 32-bit float.' },
  WAV_CHANNELS: { status: 415, title: 'Too many channels in one file', hint: 'Export mono or stereo files, one per mic or pair.' },
  WAV_HEADER: { status: 422, title: 'The WAV header is damaged', hint: 'Export the file again.' },
  RATE_MISMATCH: { status: 422, title: 'Different sample rate', hint: 'All mics of a recording share one sample rate. Convert this file, or import it as its own recording.' },
  RATE_UNSUPPORTED: { status: 422, title: 'Unusual sample rate', hint: 'Rates from 8 to 192 kHz can be opened.' },
  FILE_DUPLICATE: { status: 409, title: 'A file of this name is already in the recording', hint: 'Rename it, or remove the other one first.' },
  FILE_TOO_LARGE: { status: 413, title: 'The file is larger than this server accepts', hint: 'Split it, or raise FRESH_GAP_MAX_FILE_BYTES and start again.' },
  FILE_NAME: { status: 422, title: 'The file has no usable name', hint: 'Give it a name of 1 to 200 characters without slashes.' },
  TOO_MANY_MICS: { status: 422, title: 'Too many mics', hint: 'A recording holds up to 64 mics.' },
  UPLOAD_CANCELLED: { status: 499, title: 'Import cancelled', hint: 'Nothing of this file was stored.' },
  NOT_FOUND: { status: 404, title: 'Not found', hint: 'It may have been deleted; go back to the recordings.' },
  PLAN_STALE: { status: 409, title: 'Changed in another tab', hint: 'The newer plan is loaded; apply your change again if you still want it.' },
  PLAN_INVALID: { status: 422, title: 'This is not a valid plan', hint: 'Save a plan from the app and start from that file.' },
  PLAN_VERSION: { status: 422, title: 'The plan was written by a newer version', hint: 'Update Fresh Gap, or save the plan again from this version.' },
  PLAN_NO_MATCH: { status: 422, title: 'The plan fits none of these mics', hint: 'A plan finds its mics by file name; check that the names agree.' },
  DEBLEED_NO_HITS: { status: 409, title: 'De-bleed needs the hits first', hint: 'Find the hits in the Hits view, then compute de-bleed.' },
  DEBLEED_NO_MICS: { status: 409, title: 'There is nothing to de-bleed', hint: 'Give close mics their roles in Intake.' },
  DEBLEED_MISSING: { status: 409, title: 'De-bleed is not computed yet', hint: 'Compute it in Clean, or turn it off for this mic.' },
  EDIT_CONFLICT: { status: 409, title: 'The change does not fit the plan any more', hint: 'Reload the recording and try again.' },
  NOTHING_TO_UNDO: { status: 409, title: 'Nothing to undo', hint: 'The plan is at its first state.' },
  NOTHING_TO_REDO: { status: 409, title: 'Nothing to redo', hint: 'The plan is at its newest state.' },
  BAD_REQUEST: { status: 400, title: 'The request could not be read', hint: 'Reload the page and try again.' },
  BAD_ORIGIN: { status: 403, title: 'Refused: the request came from another site', hint: 'Open Fresh Gap by the address it printed at the start.' },
  JOB_CANCELLED: { status: 409, title: 'Cancelled', hint: 'Start it again when you are ready.' },
  ANALYSIS_FAILED: { status: 500, title: 'The hits could not be found', hint: 'Hits tells why; try it again there.' },
  JOB_LOST: { status: 500, title: 'The job was interrupted too often', hint: 'Start it again; if it fails once more, look at the server output.' },
  NOT_READY: { status: 409, title: 'Not ready yet', hint: 'Wait until the job is done.' },
  CLI_USAGE: { status: 400, title: 'The command could not be understood', hint: 'See npx fresh-gap --help.' },
  CLI_NO_FILES: { status: 404, title: 'No WAV files found', hint: 'Give a folder that holds the WAV files of one recording.' },
  MIDI_INVALID: { status: 422, title: 'Not a MIDI file', hint: 'Export the drums as a Standard MIDI File (.mid) and choose it again.' },
  CLI_ROLES: { status: 422, title: 'The roles file cannot be used', hint: 'It is JSON of file names and roles: {"04 Snare Bottom.wav": "snare-bottom"}. The README lists the roles.' },
  CLI_TRUTH: { status: 422, title: 'The figures cannot be computed', hint: 'See npx fresh-gap --help for what each folder has to hold.' },
  CLI_OUT_IS_IN: { status: 400, title: 'The output folder is the input folder', hint: 'Give another folder with --out: originals are never overwritten.' },
  INTERNAL: { status: 500, title: 'Something went wrong', hint: 'Try again; the server output has the details.' },
} as const satisfies Record<string, ErrorEntry>;

export type ErrorCode = keyof typeof ERRORS;

/** What crosses process, thread and network borders: plain data, since posted errors lose their fields. */
export interface ErrorData {
  readonly code: ErrorCode;
  readonly message: string;
  readonly details?: Record<string, unknown>;
}

export class FreshGapError extends Error {
  readonly code: ErrorCode;
  readonly details: Record<string, unknown>;

  /** `message` says what is wrong with this very thing; title and hint come from the catalogue. */
  constructor(code: ErrorCode, message: string, details: Record<string, unknown> = {}) {
    super(message);
    this.name = 'FreshGapError';
    this.code = code;
    this.details = details;
  }

  get entry(): ErrorEntry {
    return ERRORS[this.code];
  }

  toData(): ErrorData {
    return { code: this.code, message: this.message, details: this.details };
  }

  static fromData(d: ErrorData): FreshGapError {
    return new FreshGapError(d.code in ERRORS ? d.code : 'INTERNAL', d.message, d.details ?? {});
  }
}

/** Any thrown value as plain data; unknown errors become INTERNAL and keep their message. */
export function toErrorData(e: unknown): ErrorData {
  if (e instanceof FreshGapError) return e.toData();
  return { code: 'INTERNAL', message: e instanceof Error ? e.message : String(e) };
}
