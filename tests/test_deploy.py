"""What the container files say fits the program: no engine is needed to tell."""
import contextlib
import io
import re
import tomllib
import unittest
from pathlib import Path
from unittest import mock

import yaml

from ventaris import cli

ROOT = Path(__file__).parents[1]
DEPLOY = ROOT / "deploy"


def steps():
    """(instruction, rest) of the image's file, in order."""
    text = (DEPLOY / "Dockerfile").read_text().replace("\\\n", " ")
    return [line.split(None, 1) for line in text.splitlines() if line and not line.startswith("#")]


class Files(unittest.TestCase):
    def test_what_is_copied_is_there_and_comes_before_it_is_used(self):
        copied = []
        for instruction, rest in steps():
            if instruction == "COPY":
                *sources, _ = rest.split()
                for source in sources:
                    self.assertTrue((ROOT / source).exists(), source)
                copied += sources
            for used in re.findall(r"(?:-r |python )(\S+)", rest) if instruction == "RUN" else ():
                self.assertIn(used, copied)
        # The package's own declaration names files too.
        self.assertLessEqual({"requirements.txt", "pyproject.toml", "ventaris", "docs"}, set(copied))

    def test_the_image_has_a_python_that_the_package_takes(self):
        found = re.fullmatch(r"python:(\d+)\.(\d+)-slim", dict(steps())["FROM"])
        least = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["requires-python"]
        numbers = [[int(v) for v in words] for words in (found.groups(), least.strip(">=").split("."))]
        self.assertGreaterEqual(*numbers)

    def test_services_start_commands_that_exist(self):
        services = yaml.safe_load((DEPLOY / "compose.yaml").read_text())["services"]
        self.assertEqual(set(services), {"server", "scheduler", "worker"})
        image = re.findall(r'"([^"]*)"', dict(steps())["CMD"])
        commands = [service.get("command", image) for service in services.values()]
        for command in commands:
            with self.subTest(command):
                self.assertIn(command[0], ("ventaris", "dask"))
                if command[0] == "ventaris":
                    self.assertEqual(self.taken(command[1:]), command[1])
        joined = next(word for command in commands for word in command if word.startswith("tcp://"))
        self.assertEqual(joined, "tcp://scheduler:8786")
        self.assertIn("VENTARIS_PASSWORD", services["server"]["environment"])

    def taken(self, arguments):
        """The verb that the program would carry out; fails where it does not take the arguments."""
        done = []
        verbs = {name: mock.patch.object(cli, f"_{name}", lambda options, name=name: done.append(name) or 0)
                 for name in ("serve", "cluster", "worker")}
        with contextlib.ExitStack() as stack:
            for patch in verbs.values():
                stack.enter_context(patch)
            stack.enter_context(contextlib.redirect_stderr(io.StringIO()))
            cli.main(arguments)
        return done[0]


if __name__ == "__main__":
    unittest.main()
