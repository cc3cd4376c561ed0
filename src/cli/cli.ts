/** The command line: arguments and files only; progress on stderr, results on stdout, exit code 0, 1 (failed) or 2 (misused). */
import { writeFile } from 'node:fs/promises';
import { parseArgs } from 'node:util';
import { ERRORS, FreshGapError, toErrorData } from '../core/errors';
import { demoRecording } from '../demo/demoRecording';
import { writeRecording } from '../demo/writeRecording';
import { clean } from './clean';
import { proposeFolder } from './debleed';
import { analyseFolder } from './hits';
import { imageOf } from './image';
import { measureClean, measureHits, table } from './measure';
import { withWriters } from './writers';

const HELP = `fresh-gap: takes spill out of close-mic drum recordings

  npx fresh-gap clean FOLDER --out FOLDER                    clean the WAV files of a folder as proposed, or by --plan plan.json
  npx fresh-gap plan FOLDER --out plan.json                  propose a plan: hits, and a treatment for every mic that needs one
  npx fresh-gap hits FOLDER --out hits.json                  find every stroke of every drum
  npx fresh-gap spill FOLDER --out spill.json                how every drum reaches every mic
  npx fresh-gap image FOLDER --mic FILE --drum DRUM --out FILE   what a drum (or the rest: cymbals) adds to a mic, as de-bleed tells it apart
  npx fresh-gap measure RAW CLEAN --truth FOLDER             figures of cleaned mics against the truth
  npx fresh-gap measure --hits TRUTH FOUND                   figures of found hits against true ones (hits.json, or the folder of a made recording)
  npx fresh-gap demo FOLDER                                  write the demo recording and its truth

Options
  --plan FILE        a plan saved from the app; mics are found by file name
  --out FOLDER       where cleaned files go, under their own names; plan, hits and spill: the file to write
  --quick            hits: as the raw mics tell them, some seconds a minute of song; without it mics are de-bled and listened to again: fewer strokes are lost, it takes up to as long as the song plays
  --files FOLDER     hits: MIDI, markers, labels and tick tracks of what was found
  --roles FILE       JSON of file names and roles, where names do not tell: {"04 Snare Bottom.wav": "snare-bottom"}
  --truth FOLDER     at each close mic its own drum alone, under the mic's name; late/ and hits.json in it
  --mic, --drum      image: a file of the folder; kick, snare, hat, tom-1 ... or rest
  --only WHAT        clean: of the proposed plan only debleed, or only cut (gates and slices on the raw mics)
  --format FORMAT    24 (24-bit with dither, the default) or float (32-bit float)
  --json             results and errors as JSON on stdout
  -h, --help         this text

Files with nothing to clean are copied as they are. Originals are never changed.
Exit codes: 0 done, 1 failed, 2 the command could not be understood.
`;

const usage = (message: string) => new FreshGapError('CLI_USAGE', message);

function parse(argv: string[]) {
  try {
    return parseArgs({
      args: argv,
      allowPositionals: true,
      options: {
        plan: { type: 'string' },
        out: { type: 'string' },
        roles: { type: 'string' },
        files: { type: 'string' },
        only: { type: 'string' },
        mic: { type: 'string' },
        drum: { type: 'string' },
        truth: { type: 'string' },
        hits: { type: 'boolean', default: false },
        quick: { type: 'boolean', default: false },
        format: { type: 'string', default: '24' },
        json: { type: 'boolean', default: false },
        help: { type: 'boolean', short: 'h', default: false },
      },
    });
  } catch (e) {
    throw usage(e instanceof Error ? e.message : String(e));
  }
}

async function run(argv: string[], json: boolean): Promise<unknown> {
  const { values, positionals } = parse(argv);
  const [command, folder, ...more] = positionals;
  if (values.help || !command) {
    process.stdout.write(HELP);
    return null;
  }
  const extra = command === 'measure' ? more.slice(1) : more;
  if (extra.length) throw usage(`What is "${extra[0]}" for?`);
  const progress = (text: string) => process.stderr.write(text);
  switch (command) {
    case 'clean': {
      if (!folder) throw usage('clean needs a folder.');
      if (!values.out) throw usage('clean needs --out.');
      if (values.format !== '24' && values.format !== 'float') throw usage(`--format is 24 or float, not ${values.format}.`);
      const { only } = values;
      if (only !== undefined && only !== 'debleed' && only !== 'cut') throw usage(`--only is debleed or cut, not ${only}.`);
      if (only && values.plan) throw usage('--only is for the proposed plan, without --plan.');
      const { plan, roles, out, format } = values;
      const report = await withWriters((write) => clean({ only, folder, plan, roles, out, encoding: format === 'float' ? 'float32' : 'pcm24', write, progress }));
      if (!json) for (const f of report.files) process.stdout.write(`${f.out}\n`);
      for (const m of report.missing) progress(`The plan also names ${m}, which is not here.\n`);
      return report;
    }
    case 'demo': {
      if (!folder) throw usage('demo needs a folder.');
      let last = -1;
      const r = demoRecording((done) => {
        const percent = Math.round(done * 100);
        if (percent !== last) progress(`\rMaking the demo: ${percent} %`);
        last = percent;
      });
      await writeRecording(folder, r);
      progress('\n');
      if (!json) process.stdout.write(`${folder}\n`);
      return { folder, files: r.mics.map((m) => m.file), truth: 'truth' };
    }
    case 'plan': {
      if (!folder) throw usage('plan needs a folder.');
      const { plan } = await proposeFolder({ folder, roles: values.roles, progress });
      const text = `${JSON.stringify(plan, null, 1)}\n`;
      if (values.out) await writeFile(values.out, text);
      if (!json) process.stdout.write(values.out ? `${values.out}\n` : text);
      return values.out ? { out: values.out } : plan;
    }
    case 'hits':
    case 'spill': {
      if (!folder) throw usage(`${command} needs a folder.`);
      if (values.quick && command === 'spill') throw usage('--quick is for hits.');
      const { result } = await analyseFolder({ folder, roles: values.roles, out: values.out, what: command, quick: values.quick, files: command === 'hits' ? values.files : undefined, progress });
      if (!json) process.stdout.write(values.out ? `${values.out}\n` : `${JSON.stringify(result, null, 1)}\n`);
      return values.out ? { out: values.out } : result;
    }
    case 'image': {
      if (!folder) throw usage('image needs a folder.');
      const { mic, drum, out } = values;
      if (!mic || !drum || !out) throw usage('image needs --mic, --drum and --out.');
      const report = await imageOf({ folder, mic, drum, out, roles: values.roles, progress });
      if (!json) process.stdout.write(`${report.out}\n`);
      return report;
    }
    case 'measure': {
      const [second] = more;
      if (!folder || !second) throw usage(values.hits ? 'measure --hits needs two files.' : 'measure needs two folders.');
      if (values.hits) {
        const scores = await measureHits(folder, second);
        if (scores.arrival) progress('True times as kit.json says that strokes arrive at the mics.\n');
        if (!json) process.stdout.write(`${table('drum', { ...scores.drums, all: scores.all })}\n`);
        return scores;
      }
      if (!values.truth) throw usage('measure needs --truth.');
      const scores = await measureClean(folder, second, values.truth);
      if (!json) process.stdout.write(`${table('mic', { ...scores.mics, mean: scores.mean })}\n`);
      return scores;
    }
    default:
      throw usage(`There is no command "${command}".`);
  }
}

/** Runs a command; returns the exit code. */
export async function main(argv: string[]): Promise<number> {
  const json = argv.includes('--json');
  try {
    const result = await run(argv, json);
    if (json && result) process.stdout.write(`${JSON.stringify(result)}\n`);
    return 0;
  } catch (e) {
    const d = toErrorData(e);
    const { title, hint } = ERRORS[d.code];
    if (json) process.stdout.write(`${JSON.stringify({ error: { ...d, title, hint } })}\n`);
    else process.stderr.write(`${title}: ${d.message}\n${hint}\n${d.code === 'INTERNAL' && e instanceof Error ? `${e.stack}\n` : ''}`);
    return d.code === 'CLI_USAGE' ? 2 : 1;
  }
}
