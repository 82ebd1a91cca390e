"""The bench scale: its lines, a socket and a file that fail, and the simulated one."""

import socket
import tempfile
import threading
from pathlib import Path
from unittest import TestCase

from evarlo.devices.scale import OFF, FileScale, SimulatedScale, SocketScale, State, read_line, scale_at


class Lines(TestCase):
    def test_what_is_understood(self) -> None:
        for text, kg, state in (
            ("2.840 kg steady", 2.84, State.STEADY),
            (" 2,840 KG moving ", 2.84, State.MOVING),
            ("310 g steady", 0.31, State.STEADY),
            ("-0.002 kg steady", -0.002, State.STEADY),
            ("10 lb steady", 4.535924, State.STEADY),
            ("over", None, State.OVER),
        ):
            self.assertEqual((read_line(text).kg, read_line(text).state), (kg, state), text)
        for text in (
            "",
            "2.84",
            "2.84 kg",
            "kg steady",
            "2.84 stone steady",
            "1e9 kg steady",
            "2.8.4 kg steady",
            "\x00" * 50,
            "9" * 500,
        ):
            self.assertEqual(read_line(text), OFF, text)


class Places(TestCase):
    def test_a_file_s_last_whole_line_counts(self) -> None:
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "scale.txt"
        self.assertEqual(FileScale(path).now(), OFF)
        path.write_text("1 kg steady\n" * 100 + "2.5 kg steady\n2.6 kg st")
        self.assertEqual(FileScale(path).now().kg, 2.5)
        path.write_text("2.6 kg st")
        self.assertEqual(FileScale(path).now(), OFF)

    def test_a_socket_that_answers_falls_silent_or_is_not_there(self) -> None:
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)
        said = [b"1.25 kg ", b"", b"\xff\xfe\n"]

        def answer() -> None:
            for part in said:
                line, _ = listening.accept()
                with line:
                    line.sendall(part)
                    if part == said[0]:
                        line.sendall(b"steady\nmore")
                    if not part:
                        held.wait(2)

        held = threading.Event()
        thread = threading.Thread(target=answer)
        thread.start()
        scale = SocketScale("127.0.0.1", listening.getsockname()[1])
        self.assertEqual((scale.now().kg, scale.now()), (1.25, OFF))  # in two parts; then silence
        held.set()
        self.assertEqual(scale.now(), OFF)  # not to be understood
        thread.join()
        listening.close()
        self.assertEqual(scale.now(), OFF)

    def test_a_setting_names_one_or_is_refused(self) -> None:
        self.assertIsNone(scale_at(""))
        self.assertIsInstance(scale_at("simulated"), SimulatedScale)
        self.assertEqual(scale_at("socket:bench.local:4001").at, ("bench.local", 4001))  # type: ignore[union-attr]
        self.assertIsInstance(scale_at("file:/var/run/scale"), FileScale)
        for wrong in ("socket:bench", "file:", "socket::4001", "usb"):
            with self.assertRaises(ValueError):
                scale_at(wrong)


class Simulated(TestCase):
    def test_each_load_settles_and_is_taken_off(self) -> None:
        at = 800.0
        scale = SimulatedScale(lambda: at)
        self.assertEqual((scale.now().kg, scale.now().state), (0.0, State.STEADY))
        at = 802.5
        self.assertEqual(scale.now().state, State.MOVING)
        at = 804.0
        settled = scale.now()
        at = 807.9
        self.assertEqual((settled.state, scale.now()), (State.STEADY, settled))
        at = 812.0
        self.assertNotEqual(scale.now().kg, settled.kg)
