"""The console script, and `python -m inkov`."""

import signal


def main() -> None:
    """Run the program. Until a command runs, an interrupt ends it at once and without a word, from
    here on: nothing is half done, and importing takes its time. Whoever started it in the
    background, where interrupts are ignored, is not asked.
    """
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, signal.SIG_DFL)
    from inkov.cli.app import main as run

    run()


if __name__ == "__main__":
    main()
