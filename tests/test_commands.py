"""The command line as a script uses it: answers, exit status, messages."""

import json
import shutil
import subprocess
import sys

import pytest

from gray_kettle.cli.main import main
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from tests.frames import BOAT, CAFE, OWN, busy_harbour, pcap_bytes, write_pcap


@pytest.fixture
def kettle(tmp_path):
    """Runs the real program in a folder of its own."""

    def run(*words):
        command = [sys.executable, "-m", "gray_kettle", *map(str, words)]
        return subprocess.run(command, capture_output=True, text=True, cwd=tmp_path, timeout=120, check=False)

    return run


@pytest.mark.slow
def test_from_a_capture_to_a_recommended_channel(kettle, tmp_path):
    write_pcap(tmp_path / "any.pcap", busy_harbour())
    made = kettle("new", "a.kettle", "--country", "GB", "--own", "tern-guest", "--own", "tern-crew")
    assert (made.returncode, made.stdout, made.stderr) == (0, "", "")
    taken = kettle("take", "a.kettle", "any.pcap")
    assert taken.returncode == 0
    assert "any.pcap: 210 frames read (pcap)" in taken.stdout
    planned = kettle("plan", "a.kettle", "--json")
    answer = json.loads(planned.stdout)
    moves = {m["radio"]: m for m in answer["moves"]}
    assert moves[OWN]["from"] == {"channel": 3, "width_mhz": 40}
    assert moves[OWN]["to"] == {"channel": 11, "width_mhz": 20}
    assert moves[OWN]["clear_air_after"] > moves[OWN]["clear_air_before"]
    assert moves[OWN]["reasons"]
    assert len(moves[OWN]["alternatives"]) == 2
    assert set(moves[OWN]["alternatives"][0]) >= {"channel", "width_mhz", "expected_mbps", "clear_air"}


@pytest.mark.slow
def test_what_is_broken_does_not_keep_the_rest_from_being_taken(kettle, tmp_path):
    write_pcap(tmp_path / "good.pcap", busy_harbour(1))
    (tmp_path / "cut.pcap").write_bytes(pcap_bytes(busy_harbour(2))[:-10])
    (tmp_path / "noise.bin").write_bytes(bytes(range(256)) * 20)
    kettle("new", "a.kettle")
    taken = kettle("take", "a.kettle", "noise.bin", "good.pcap", "cut.pcap", tmp_path, "nothing", "--json")
    assert taken.returncode == 0
    inputs = json.loads(taken.stdout)["inputs"]
    by_name = {i["source"]: i for i in inputs}
    assert list(by_name) == ["noise.bin", "good.pcap", "cut.pcap", tmp_path.name, "nothing"]
    assert by_name["good.pcap"]["notes"] == []
    assert "at byte" in by_name["cut.pcap"]["notes"][0]
    for name in ("noise.bin", tmp_path.name, "nothing"):
        assert by_name[name]["records"] == 0
        assert by_name[name]["notes"]
    assert len(taken.stderr.splitlines()) == 3
    for line in taken.stderr.splitlines():
        assert line.startswith("gray-kettle: ")


@pytest.mark.parametrize("content", [b"", b"\x00" * 5000, bytes(range(256)) * 9])
@pytest.mark.slow
def test_a_file_of_anything_is_one_line_and_status_1(kettle, tmp_path, content):
    (tmp_path / "x").write_bytes(content)
    kettle("new", "a.kettle")
    taken = kettle("take", "a.kettle", "x")
    assert taken.returncode == 1
    assert len(taken.stderr.splitlines()) == 1
    assert "Traceback" not in taken.stderr


@pytest.mark.parametrize(
    ("words", "status", "message"),
    [
        (["fly"], 2, "No such command"),
        (["heard"], 2, "Missing argument"),
        (["heard", "none.kettle"], 1, "does not exist"),
        (["new", "b.kettle", "--country", "Britain"], 2, "did you mean GB"),
        (["new", "b.kettle", "--clients", "fast"], 2, "2.4:1-11"),
        (["new", "nowhere/b.kettle"], 1, "does not exist"),
        (["plan", "a.kettle", "--band", "7"], 2, "not a band"),
        (["plan", "a.kettle", "--from", "yesterday"], 2, "not a time"),
        (["plan", "a.kettle", "--from", "2026-11-14", "--to", "2026-11-12"], 2, "before it begins"),
        (["air", "a.kettle", "--radio", "02:00:00:00:00:99"], 1, "No radio"),
        (["draw", "nonsense", "a.kettle", "-o", "x.svg"], 2, "not a drawing"),
        (["draw", "lanes", "a.kettle", "-o", "x.bmp"], 1, ".svg, .pdf or .png"),
        (["set", "a.kettle", "--name", "hall"], 2, "BSSID=NAME"),
    ],
)
def test_wrong_use_and_missing_things_are_reported_in_words(
    tmp_path, monkeypatch, capsys, words, status, message
):
    monkeypatch.chdir(tmp_path)
    assert main(["new", "a.kettle"]) == 0
    assert main(words) == status
    assert message in capsys.readouterr().err.replace("\n", " ").replace("  ", " ")


@pytest.mark.parametrize("command", ["heard", "air", "brief", "plan"])
def test_an_empty_case_is_answered_too(tmp_path, capsys, command):
    path = str(tmp_path / "a.kettle")
    assert main(["new", path]) == 0
    assert main([command, path]) == 0
    assert main([command, path, "--json"]) == 0
    assert "Traceback" not in capsys.readouterr().err


def test_the_air_as_an_own_radio_finds_it(tmp_path, case_of, capsys):
    from gray_kettle.model.setup import Setup

    path = case_of(
        write_pcap(tmp_path / "a.pcap", busy_harbour()), setup=Setup(country="GB", own=("tern-guest",))
    )

    def places(*words):
        assert main(["air", str(path), "--json", *words]) == 0
        return {(p["band"], p["channel"]): p for p in json.loads(capsys.readouterr().out)["channels"]}

    plain, seen = places(), places("--radio", OWN)
    assert {band for band, _ in seen} == {"2.4"}
    assert set(places("--band", "5")) == {key for key in plain if key[0] == "5"}
    # On its own channel it is no harm to itself.
    assert seen["2.4", 3]["co_channel"]["radios"] == plain["2.4", 3]["co_channel"]["radios"] - 1
    assert seen["2.4", 3]["utilisation"] == plain["2.4", 3]["utilisation"]
    for place in plain.values():
        assert place["non_wifi_share"] is None
        assert place["utilisation"]["value"] is None or 0 <= place["utilisation"]["value"] <= 1


def test_names_and_own_networks_can_be_set_later(tmp_path, case_of, capsys):
    path = str(case_of(write_pcap(tmp_path / "a.pcap", busy_harbour(1))))
    assert main(["set", path, "--own", "boat", "--name", f"{OWN}=hall", "--site", "Quay"]) == 0
    assert main(["heard", path, "--json"]) == 0
    radios = json.loads(capsys.readouterr().out)["radios"]
    assert {r["name"] for r in radios if r["own"]} == {"boat"}
    assert "hall" in {r["name"] for r in radios}


@pytest.mark.slow
def test_the_demo_can_be_written_to_a_file_and_none_is_written_over(demo_case, capsys):
    path = str(demo_case)  # which was made by this command
    assert main(["brief", path]) == 0
    assert "Channel between 1, 6 and 11: hall 2.4 GHz" in capsys.readouterr().out
    assert main(["demo", "--make", path]) == 1
    assert "already exists" in capsys.readouterr().err


@pytest.mark.slow
def test_emitters_are_reported_and_what_is_said_of_them_lasts(demo_case, tmp_path, capsys):
    case = tmp_path / "own.kettle"
    shutil.copy(demo_case, case)

    def answer(*words):
        assert main(["emitters", str(case), "--json", *words]) == 0
        told = json.loads(capsys.readouterr().out)
        assert told["schema"] == "gray-kettle/emitters/2"
        return {e["kind"]: e for e in told["emitters"]}

    found = answer()
    oven = found["microwave-oven"]
    assert 0.6 < oven["confidence"] < 1
    assert 2440 < oven["centre_mhz"] - oven["bandwidth_mhz"] / 2 < 2456 < oven["centre_mhz"] < 2472
    assert {c["channel"] for c in oven["channels"]} >= {9, 10, 11, 12, 13}
    assert oven["first"] < oven["last"] == oven["gone_since"]
    assert all(oven[name] for name in ("evidence", "where", "test", "hours_utc"))
    assert answer("--band", "5") == {}
    assert main(["emitters", str(case), "--band", "6"]) == 0
    assert capsys.readouterr().out == "6 GHz was not swept in this window.\n"
    told = answer("--name", f"{oven['id']}=tea bar", "--kind", f"{oven['id']}=radar", "--dismiss", oven["id"])
    assert (told["radar"]["name"], told["radar"]["dismissed"], told["radar"]["found_as"]) == (
        "tea bar", True, "microwave-oven",
    )  # fmt: skip
    assert main(["emitters", str(case), "--kind", f"{oven['id']}=kettle"]) == 2
    assert "is not a kind of emitter: microwave-oven, bluetooth" in capsys.readouterr().err
    assert main(["emitters", str(case), "--dismiss", "none"]) == 1
    assert "There is no emitter none in this window: bluetooth@" in capsys.readouterr().err
    assert main(["emitters", str(case)]) == 0
    assert "Test: Unplug the camera" in capsys.readouterr().out


def test_figures_are_explained_on_the_command_line_too(demo_case, capsys):
    assert main(["air", str(demo_case), "--json", "--radio", "02:7a:10:01:20:00"]) == 0
    place = next(p for p in json.loads(capsys.readouterr().out)["channels"] if p["channel"] == 6)
    assert {h["name"] for h in place["losses"]} >= {"tea bar", "pier"}
    assert place["utilisation"]["by_hour"]
    assert main(["emitters", str(demo_case), "--json"]) == 0
    ids = {e["kind"]: e["id"] for e in json.loads(capsys.readouterr().out)["emitters"]}
    assert main(["explain", str(demo_case), "hall", "off-channel-plan", ids["microwave-oven"], "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["schema"] == "gray-kettle/explain/1"
    titles = [f["title"] for f in told["figures"]]
    assert {
        "clear air on 3/40",
        "clear air on 149/80",
        "Channel between 1, 6 and 11: hall 2.4 GHz",
        "duty cycle",
    } <= set(titles)
    assert all(f["how"] and f["source"] for f in told["figures"])
    assert main(["explain", str(demo_case)]) == 0
    assert capsys.readouterr().out.count("clear air on ") == 10  # one an own radio
    assert main(["explain", str(demo_case), "nobody"]) == 1
    assert "is no radio, emitter or kind of finding" in capsys.readouterr().err


def test_thresholds_groups_and_reference_are_set(case_of, tmp_path, capsys):
    case = case_of(
        write_pcap(tmp_path / "a.pcap", busy_harbour()), setup=Setup(country="GB", own=("tern-guest",))
    )
    words = ["--threshold", "act-lost=20", "--apart", OWN, "--together", f"{CAFE},{BOAT}"]
    assert main(["set", str(case), *words, "--reference", "2026-11-12T00:00/2026-11-12T06:00Z"]) == 0
    with Case.open(case) as opened:
        setup = opened.setup()
    assert setup.thresholds == (("act_lost", 0.2),)
    assert (setup.together, setup.apart) == ((tuple(sorted((CAFE, BOAT))),), (OWN,))
    assert setup.reference == (1_794_441_600.0, 1_794_463_200.0)
    assert main(["set", str(case), "--threshold", "act-lost=", "--reference", "-"]) == 0
    with Case.open(case) as opened:
        assert (opened.setup().thresholds, opened.setup().reference) == ((), None)
    for wrong in (["--threshold", "loud=3"], ["--apart", "cafe"], ["--reference", "today"],
                  ["--reference", "2026-11-12/2026-11-11"]):  # fmt: skip
        assert main(["set", str(case), *wrong]) == 2
        assert capsys.readouterr().err.startswith("gray-kettle: “")


@pytest.mark.parametrize("view", ["shares", "levels", "heatmap"])
@pytest.mark.slow
def test_drawings_of_who_takes_what_name_their_radios(demo_case, tmp_path, view):
    for band in ("2.4", "5", "6"):
        file = tmp_path / f"{view}-{band}.svg"
        assert main(["draw", view, str(demo_case), "--band", band, "-o", str(file)]) == 0
        text = file.read_text()
        assert "Tern Quay ferry terminal" in text
        assert "■ office" in text
        assert len(text) < 800_000


@pytest.mark.slow
def test_a_band_in_which_nothing_was_heard_is_drawn_all_the_same(case_of, tmp_path):
    case = case_of(write_pcap(tmp_path / "a.pcap", busy_harbour()), setup=Setup(country="GB"))
    for view in ("shares", "levels", "heatmap"):
        file = tmp_path / f"{view}.svg"
        assert main(["draw", view, str(case), "--band", "6", "-o", str(file)]) == 0
        assert "6 GHz" in file.read_text()


def test_help_names_every_command(capsys):
    assert main(["--help"]) == 0
    out = capsys.readouterr().out
    for command in ("demo", "new", "open", "take", "heard", "air", "brief", "explain", "plan", "draw"):
        assert f"\n  {command} " in out


def test_a_window_is_assessed_alone(demo_case, capsys):
    def heard(*words):
        assert main(["heard", str(demo_case), "--json", *words]) == 0
        return {r["name"] for r in json.loads(capsys.readouterr().out)["radios"]}

    assert "MV Guillemot" in heard("--from", "2026-11-13T11:45", "--to", "2026-11-13T12:15")
    assert "MV Guillemot" not in heard("--from", "2026-11-13T14:00", "--to", "2026-11-13T15:00")


def test_a_drawing_is_the_same_each_time_and_of_bounded_size(demo_case, tmp_path):
    files = [tmp_path / f"{n}.svg" for n in (1, 2)]
    for file in files:
        assert main(["draw", "lanes", str(demo_case), "-o", str(file)]) == 0
    assert files[0].read_bytes() == files[1].read_bytes()
    assert files[0].stat().st_size < 500_000
    assert b"tea bar" in files[0].read_bytes()
