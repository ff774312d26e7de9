"""``basso symptoms``: a few answers in, ranked causes out, each with the cheapest test that could disprove it."""

from __future__ import annotations

import argparse
from dataclasses import asdict

from basso.cli.terminal import print_document
from basso.errors import InputError

HELP = "possible causes of a symptom, and where to look first"
DESCRIPTION = """\
The symptom interview. Without answers it lists the questions; with answers it ranks the causes and gives for each the
cheapest test that could rule it out. This is an order to look in, not a diagnosis: a log says more.

  basso symptoms
  basso symptoms when=left lamp=flicker level=full"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("answer", metavar="QUESTION=ANSWER", nargs="*", help="keys as `basso symptoms` lists them")
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output")


def run(arguments: argparse.Namespace) -> int:
    """Ask, or rank."""
    from basso.findings.symptoms import EFFORT_WORDS, interview, questions

    answers = _answers(arguments.answer)
    found = interview(answers)
    if arguments.json:
        asked = [{"key": q.key, "text": q.text, "answers": dict(q.answers)} for q in questions()]
        causes = [asdict(s) for s in found.suspects] if answers else []
        print_document(
            {"schema": "basso.symptoms/1", "questions": asked, "answers": answers, "stop": found.stop, "causes": causes}
        )
        return 0
    if not answers:
        for q in questions():
            print(f"{q.key}: {q.text}")
            for key, words in q.answers.items():
                print(f"    {q.key + '=' + key:<18} {words}")
        return 0
    if found.stop:
        print(found.stop)
    for s in found.suspects:
        print(f"{s.name}: {s.standing}")
        if s.standing != "unlikely" or found.stop:
            print(f"    test ({EFFORT_WORDS[s.effort]}): {s.test}")
        for speaks, said in (("for it", s.because), ("against it", s.against)):
            if said:
                print(f"    {speaks}: {', '.join(said)}")
    return 0


def _answers(given: list[str]) -> dict[str, str]:
    from basso.findings.symptoms import questions

    known = {q.key: q for q in questions()}
    answers = {}
    for text in given:
        key, sign, answer = text.partition("=")
        if not sign or key not in known:
            raise InputError(
                f"'{text}': is not an answer to a question; write QUESTION=ANSWER, with one of {', '.join(known)}."
            )
        if answer not in known[key].answers:
            raise InputError(f"'{text}': {key} has the answers {', '.join(known[key].answers)}; choose one of them.")
        answers[key] = answer
    return answers
