/** The command line: arguments and files only; progress on stderr, results on stdout, exit code 0, 1 (failed) or 2 (misused). */
import { parseArgs } from 'node:util';
import { ERRORS, FreshGapError, toErrorData } from '../core/errors';
import { demoRecording } from '../demo/demoRecording';
import { writeRecording } from '../demo/writeRecording';
import { clean } from './clean';

const HELP = `fresh-gap: takes spill out of close-mic drum recordings

  npx fresh-gap clean FOLDER --plan plan.json --out FOLDER   clean the WAV files of a folder by a plan
  npx fresh-gap demo FOLDER                                  write the demo recording and its truth

Options
  --plan FILE        a plan saved from the app; mics are found by file name
  --out FOLDER       where cleaned files go, under their own names
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
  if (more.length) throw usage(`What is "${more[0]}" for?`);
  const progress = (text: string) => process.stderr.write(text);
  switch (command) {
    case 'clean': {
      if (!folder) throw usage('clean needs a folder.');
      if (!values.plan) throw usage('clean needs --plan.');
      if (!values.out) throw usage('clean needs --out.');
      if (values.format !== '24' && values.format !== 'float') throw usage(`--format is 24 or float, not ${values.format}.`);
      const report = await clean({ folder, plan: values.plan, out: values.out, encoding: values.format === 'float' ? 'float32' : 'pcm24', progress });
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
