"""Gates as a JUnit file for pipelines: fail is a failure, unclear an error, a should gate that misses is skipped."""

from __future__ import annotations

import xml.etree.ElementTree as ET

from skarlo.core import GateResult, Results, shown


def gates_as_junit(results: Results) -> bytes:
    """One test case for each gate entry."""
    suite = ET.Element("testsuite", name=_clean(results["title"]), tests=str(len(results["gates"])))
    tally = {"failures": 0, "errors": 0, "skipped": 0}
    for gate in results["gates"]:
        by = ", ".join(f"{k} {v}" for k, v in (gate["by"] or {}).items())
        name = f"{gate['text']} [{by}]" if by else gate["text"]
        case = ET.SubElement(suite, "testcase", classname=_clean(gate["candidate"]), name=_clean(name))
        if gate["status"] == "pass":
            continue
        kind = "skipped" if gate["level"] == "should" else "failure" if gate["status"] == "fail" else "error"
        tally[{"failure": "failures", "error": "errors", "skipped": "skipped"}[kind]] += 1
        ET.SubElement(case, kind, message=_clean(message(gate)))
    suite.attrib |= {k: str(v) for k, v in tally.items()}
    body: str = ET.tostring(suite, encoding="unicode")
    return f'<?xml version="1.0" encoding="UTF-8"?>\n{body}\n'.encode()


def message(gate: GateResult) -> str:
    """What was read against what was needed, or why nothing could be said."""
    if gate["status"] == "unclear":
        return f"unclear: {gate.get('why', 'nothing can be said')}"
    return f"{gate['metric']} reads {shown(gate['read'], (gate['needed'],))}, needed {shown(gate['needed'], ())}"


def _clean(text: str) -> str:
    """Without the control characters that XML cannot hold."""
    return "".join(c if c in "\t\n" or ord(c) >= 32 else "\ufffd" for c in text)
