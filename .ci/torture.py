"""Kills the program, fails its calls and cuts its power at chosen and at random moments, over all commands that place
files, and looks whether there is the old state or the new one, and nothing else.

    torture.py PROGRAM --seconds N [--seed N] [--jobs N]

It prints what it tried and the seed, and ends with 1 where something was lost. Calls are chosen and failed by strace;
power cuts are copies of a file system in a file, taken the moment after a kill, without what was not flushed.
"""
import argparse
import collections
import hashlib
import os
import pathlib
import random
import re
import shutil
import subprocess
import sys
import tempfile
import threading
import time

CALLS = ['openat', 'write', 'pwrite64', 'fsync', 'syncfs', 'renameat', 'renameat2', 'linkat', 'unlinkat', 'mkdirat',
         'ftruncate', 'fchmod', 'copy_file_range', 'close']
FAILING = [call for call in CALLS if call != 'close']  # of which a failed one did nothing
ERRORS = ['EIO', 'ENOSPC', 'EACCES', 'EMFILE']
HIDDEN = re.compile(r'^\.(.*\.(part|old)|lastblock-placing\..*|block-.*)$')

PLAN = '''version = 1
[read]
paths = ["in"]
name = "{entity}_{period}"
[tieout]
balance = "debit=credit"
[[rollup]]
name = "sums"
by = "account"
sum = "debit"
out = "results/sums.csv"
[[rollup]]
name = "book"
by = "document"
sum = "debit"
out = "results/book.xlsx"
[collate]
total = "debit"
out = "results/all.csv"
[close]
retain = true
'''


def journal(generation, rows):
    return 'document,account,debit,credit\n' + ''.join(
        f'C{i},gen{generation},{i}.00,{i}.00\n' for i in range(rows)) + f'X,gen{generation},1.00,{generation}.5O\n'


class Scenario:
    """A command, what was done before it, and who comes by after it."""

    def __init__(self, name, command, before=(), then=('verify', '--plan', 'lastblock.toml'), edit=None):
        self.name, self.command, self.before, self.then, self.edit = name, command, before, then, edit


PLANNED = ['--plan', 'lastblock.toml', '--quiet']
CLOSE = ['close', '--user', 'anna', *PLANNED, '--anyway', '--reason', 'a typing error']
AFTER = ['rollup', 'other.csv', '--by', 'k', '--sum', 'v', '--out', 'out/other.csv', '--replace', '--quiet']


def restated(folder):
    for entity in ('corvane', 'dunmarrow'):
        (folder / f'in/{entity}_2031-01.csv').write_text(journal(2, 60))


SCENARIOS = [
    Scenario('close', CLOSE),
    Scenario('close --restate', [*CLOSE, '--restate'], [CLOSE], edit=restated),
    Scenario('freeze', ['freeze', 'dunmarrow', '--reason', 'sold', '--user', 'anna', '--plan', 'lastblock.toml'],
             [CLOSE]),
    Scenario('freeze --undo', ['freeze', 'dunmarrow', '--undo', '--reason', 'bought', '--user', 'anna', '--plan',
                               'lastblock.toml'],
             [CLOSE, ['freeze', 'dunmarrow', '--reason', 'sold', '--user', 'anna', '--plan', 'lastblock.toml']]),
    Scenario('relocate', ['relocate', 'in', 'moved', '--user', 'anna', '--plan', 'lastblock.toml'], [CLOSE],
             edit=lambda folder: (folder / 'in').rename(folder / 'moved')),
    Scenario('decide', ['decide', '--kind', 'bad-value,unbalanced', '--accept', '--yes', '--reason', 'known', '--user', 'anna',
                        '--plan', 'lastblock.toml'], [CLOSE]),
    Scenario('report', ['report', '--plan', 'lastblock.toml', '--out', 'pack.html', '--quiet', '--replace'], [CLOSE]),
    Scenario('report as a workbook', ['report', '--plan', 'lastblock.toml', '--out', 'pack.xlsx', '--quiet'], [CLOSE]),
    Scenario('collate --out --suspense', ['collate', 'in', '--total', 'credit', '--out', 'out/all.csv', '--suspense',
                                          'out/suspense.csv', '--quiet', '--anyway'], then=AFTER),
    Scenario('the same --replace', ['collate', 'in', '--total', 'credit', '--out', 'out/all.csv', '--suspense',
                                    'out/suspense.csv', '--quiet', '--anyway', '--replace'],
             [['collate', 'in', '--total', 'credit', '--out', 'out/all.csv', '--suspense', 'out/suspense.csv',
               '--quiet', '--anyway']], AFTER, restated),
    Scenario('rollup --out', ['rollup', 'in', '--by', 'account', '--sum', 'debit', '--out', 'out/sums.xlsx', '--quiet'],
             then=AFTER),
    Scenario('tieout --findings', ['tieout', 'in', '--balance', 'debit=credit', '--findings', 'out/findings.csv',
                                   '--review', 'out/review.xlsx', '--quiet'], then=AFTER),
    Scenario('reconcile', ['reconcile', 'in/corvane_2031-01.csv', '--against', 'in/dunmarrow_2031-01.csv', '--key',
                           'document', '--total', 'debit', '--out', 'out/both.csv', '--corrected', 'out/corrected.csv',
                           '--prefer', 'here', '--findings', 'findings/findings.csv', '--quiet'], then=AFTER),
    Scenario('split', ['split', 'in/corvane_2031-01.csv', '--rows', '10', '--out-dir', 'out', '--quiet'], then=AFTER),
    Scenario('split --replace', ['split', 'in/corvane_2031-01.csv', '--rows', '10', '--out-dir', 'out', '--quiet',
                                 '--replace'],
             [['split', 'in/corvane_2031-01.csv', '--rows', '10', '--out-dir', 'out', '--quiet']], AFTER, restated),
]


class Lost(Exception):
    pass


class Torture:
    def __init__(self, program, work):
        self.program, self.work = program, work
        self.tried = collections.Counter()
        self.lock = threading.Lock()
        self.environment = dict(os.environ, GOMAXPROCS='2')
        self.prepared = {}

    def run(self, folder, command, strace=None, kill_after=None):
        temporary = folder.parent / 'tmp'
        temporary.mkdir(exist_ok=True)
        environment = dict(self.environment, TMPDIR=str(temporary), XDG_CACHE_HOME=str(folder.parent / 'cache'))
        arguments = [self.program, *command]
        if strace:
            arguments = ['strace', '-f', '-qq', '-o', str(folder.parent / 'trace'), *strace, *arguments]
        process = subprocess.Popen(arguments, cwd=folder, env=environment, stdout=subprocess.DEVNULL,
                                   stderr=subprocess.PIPE, text=True)
        if kill_after is not None:
            time.sleep(kill_after)
            process.kill()
        return process.communicate(timeout=120)[1], process.returncode

    def prepare(self, scenario):
        """A folder before the command, its state then, and its state after it."""
        home = pathlib.Path(tempfile.mkdtemp(dir=self.work))
        folder = home / 'month'
        for sub in ('in', 'out', 'findings'):
            (folder / sub).mkdir(parents=True)
        (folder / 'lastblock.toml').write_text(PLAN)
        (folder / 'other.csv').write_text('k,v\nx,1\n')
        for entity in ('corvane', 'dunmarrow'):
            (folder / f'in/{entity}_2031-01.csv').write_text(journal(1, 40))
        for command in scenario.before:
            stderr, code = self.run(folder, command)
            if code == 2:
                raise Lost(f'{scenario.name}: {command} ends with 2: {stderr}')
        if scenario.edit:
            scenario.edit(folder)
        done = home / 'done' / 'month'
        shutil.copytree(folder, done)
        begun = time.time()
        stderr, code = self.run(done, scenario.command)
        if code == 2:
            raise Lost(f'{scenario.name} ends with 2: {stderr}')
        took = time.time() - begun
        counted = home / 'counted' / 'month'
        shutil.copytree(folder, counted)
        self.run(counted, scenario.command, ['-e', 'trace=' + ','.join(CALLS)])
        calls = collections.Counter(re.findall(r'^\d+ +(\w+)\(', (counted.parent / 'trace').read_text(), re.M))
        return folder, state(folder), state(done), calls, took

    def look(self, scenario, folder, before, after, how, code, cut=False):
        """Has somebody come by, and says what is not as it has to be."""
        stderr, then = self.run(folder, scenario.then)
        if then not in (0, 1):
            raise Lost(f'{how}: {scenario.then[0]} ends with {then}: {stderr}')
        found = state(folder)
        if found not in (before, after):
            raise Lost(f'{how}: neither the old state nor the new one: {differences(before, after, found)}\n{stderr}')
        if code in (0, 1) and found != after:
            raise Lost(f'{how}: it ended with {code}, and its outputs are not there')
        if code == 2 and found == after and before != after:
            raise Lost(f'{how}: it ended with 2, and its outputs are there')
        left = self.left(folder)
        if left and cut:  # what the disk had forgotten is taken away by whoever writes there
            self.run(folder, scenario.command)
            left = self.left(folder)
        if left:
            raise Lost(f'{how}: left behind are {left}')

    def left(self, folder):
        left = [str(path.relative_to(folder)) for path in folder.rglob('*')
                if HIDDEN.match(path.name) or path.name == '.lastblock-outputs' and path.stat().st_size == 0
                or path.name == 'decisions.csv' and path.stat().st_size == 0]
        return left + [path.name for path in (folder.parent / 'tmp').iterdir()]

    def copy(self, folder):
        home = pathlib.Path(tempfile.mkdtemp(dir=self.work))
        shutil.copytree(folder, home / 'month', symlinks=True)
        return home / 'month'

    def kill_at_call(self, scenario, prepared, dice):
        folder, before, after, calls, _ = prepared
        call = dice.choice([c for c in CALLS if calls[c]])
        n = dice.randint(1, calls[call] + 1)
        how = f'{scenario.name}, killed at {call} {n}'
        here = self.copy(folder)
        self.run(here, scenario.command, ['-e', f'trace={call}', '-e', f'inject={call}:signal=KILL:when={n}'])
        self.look(scenario, here, before, after, how, None)
        shutil.rmtree(here.parent)
        self.count('kills at a call')

    def kill_at_random(self, scenario, prepared, dice):
        folder, before, after, _, took = prepared
        after_seconds = dice.random() * took * 1.1
        here = self.copy(folder)
        self.run(here, scenario.command, kill_after=after_seconds)
        self.look(scenario, here, before, after, f'{scenario.name}, killed after {after_seconds:.4f} s', None)
        shutil.rmtree(here.parent)
        self.count('kills at a random time')

    def fail_call(self, scenario, prepared, dice):
        folder, before, after, calls, _ = prepared
        call = dice.choice([c for c in FAILING if calls[c]])
        n, error = dice.randint(1, calls[call]), dice.choice(ERRORS)
        always = '+' if dice.random() < 0.3 else ''
        how = f'{scenario.name}, {call} {n}{always} fails with {error}'
        here = self.copy(folder)
        stderr, code = self.run(here, scenario.command,
                                ['-e', f'trace={call}', '-e', f'inject={call}:error={error}:when={n}{always}'])
        if 'loading shared libraries' in stderr:
            sys.exit(stderr + 'build it with CGO_ENABLED=0')
        if code not in (0, 1, 2):
            if 'fatal error' in stderr or code < 0 or 'failed to create new OS thread' in stderr or 'epoll' in stderr:
                code = None  # the runtime itself could not go on, which is as good as a kill
            else:
                raise Lost(f'{how}: it ends with {code}: {stderr}')
        if code == 2 and 'lastblock: ' not in stderr and call not in ('write', 'openat'):
            raise Lost(f'{how}: it says {stderr!r}')
        if code == 2 and (re.search('settles it|w(as|ere) written before|is written, but', stderr) or
                          call == 'write' and not stderr):
            code = None  # nothing could be taken back either, or the standard streams failed when all was in place
        self.look(scenario, here, before, after, how, code)
        shutil.rmtree(here.parent)
        self.count('failed calls')

    def cut_power(self, scenario, prepared, dice):
        """Kills the program on a file system of its own, and goes on with what of it was on the disk then."""
        folder, before, after, calls, _ = prepared
        home = pathlib.Path(tempfile.mkdtemp(dir=self.work))
        image, mounted = home / 'image', home / 'mounted'
        mounted.mkdir()
        try:
            with open(image, 'wb') as file:
                file.truncate(24 << 20)
            run = lambda *command: subprocess.run(command, check=True, capture_output=True)
            run('mkfs.ext4', '-q', '-F', str(image))
            run('mount', '-o', 'loop', str(image), str(mounted))
            here = mounted / 'x' / 'month'
            shutil.copytree(folder, here)
            subprocess.run(['sync', '-f', str(mounted)], check=True)
            call = dice.choice([c for c in CALLS if calls[c]])
            n = dice.randint(1, calls[call] + 1)
            how = f'{scenario.name}, the power cut at {call} {n}'
            _, code = self.run(here, scenario.command,
                               ['-o', '/dev/null', '-e', f'trace={call}', '-e', f'inject={call}:signal=KILL:when={n}'])
            shutil.copyfile(image, home / 'cut')
            run('umount', str(mounted))
            run('mount', '-o', 'loop', str(home / 'cut'), str(mounted))
            shutil.rmtree(here.parent / 'tmp', ignore_errors=True)  # the system empties it when it starts
            self.look(scenario, here, before, after, how, code if code in (0, 1) else None,
                      cut=True)
        finally:
            subprocess.run(['umount', str(mounted)], capture_output=True)
        shutil.rmtree(home)
        self.count('power cuts')

    def count(self, what):
        with self.lock:
            self.tried[what] += 1


def state(folder):
    """What a folder holds that somebody may look at. What tells the time of a run counts by its name alone."""
    found = {}
    for path in sorted(folder.rglob('*')):
        name = str(path.relative_to(folder))
        if path.is_dir() or path.name.startswith('.') or name in ('out/other.csv',):
            continue
        if name.startswith(('blocks/', 'pack.')) or name.startswith('frozen/') and name.endswith('.json'):
            found[name] = 'there' if path.stat().st_size else 'empty'
        elif name == 'decisions.csv':
            found[name] = [line.split(',')[2] for line in path.read_text().splitlines()]
        else:
            found[name] = hashlib.sha256(path.read_bytes()).hexdigest()[:12]
    return found


def differences(before, after, found):
    return {name: (before.get(name), after.get(name), found.get(name)) for name in {*before, *after, *found}
            if not before.get(name) == after.get(name) == found.get(name)}


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument('program')
    parser.add_argument('--seconds', type=float, default=1800)
    parser.add_argument('--seed', type=int, default=None)
    parser.add_argument('--jobs', type=int, default=os.cpu_count())
    asked = parser.parse_args()
    seed = asked.seed if asked.seed is not None else random.SystemRandom().randrange(10**9)
    work = tempfile.mkdtemp(prefix='lastblock-torture-')
    torture = Torture(str(pathlib.Path(asked.program).resolve()), work)
    prepared = [(s, torture.prepare(s)) for s in SCENARIOS]
    kinds = [torture.kill_at_call] * 3 + [torture.kill_at_random] * 2 + [torture.fail_call] * 8
    try:
        probe = random.Random(seed)
        torture.cut_power(*prepared[0], probe)
        kinds.append(torture.cut_power)
    except (subprocess.CalledProcessError, FileNotFoundError) as e:
        print(f'no file systems can be mounted here, so that no power is cut: {e}', file=sys.stderr)
    until, lost = time.time() + asked.seconds, []

    def work_on(job):
        dice = random.Random(f'{seed} {job}')
        while time.time() < until:
            scenario, ready = dice.choice(prepared)
            try:
                dice.choice(kinds)(scenario, ready, dice)
            except Lost as e:
                lost.append(str(e))
                print(e, file=sys.stderr, flush=True)

    jobs = [threading.Thread(target=work_on, args=(job,)) for job in range(asked.jobs)]
    for job in jobs:
        job.start()
    for job in jobs:
        job.join()
    shutil.rmtree(work, ignore_errors=True)
    print(f'seed {seed}: ' + ', '.join(f'{n} {what}' for what, n in sorted(torture.tried.items())) +
          f', over {len(SCENARIOS)} commands; lost: {len(lost)}')
    return 1 if lost else 0


if __name__ == '__main__':
    sys.exit(main())
