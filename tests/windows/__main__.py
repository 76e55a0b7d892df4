"""Run these tests and those of other folders that hold on every system:  python -m tests.windows [NAME ...]"""

import sys
import unittest

VERBOSITY = 1 + ("-v" in sys.argv)
# What touches no file system, or only by calls that are the same everywhere.
PORTABLE = (
    *(f"tests.merging.test_{name}" for name in ("combine", "forms", "laws", "names", "odd")),
    "tests.ledgers.test_patterns",
    "tests.mentions.test_automaton",
    "tests.shelves.test_plain_wav",
    "tests.spelling.test_forms.Cases",
    "tests.spelling.test_foreign.Cases.test_looks",
    "tests.spelling.test_foreign.Laws.test_a_full_path_reads_back",
    "tests.waybills.test_parts.Parts.test_a_bar_on_a_terminal_and_plain_lines_elsewhere",
    "tests.waybills.test_parts.Parts.test_a_file_is_wholly_old_or_wholly_new",
    "tests.waybills.test_parts.Parts.test_names_fit_to_print",
    "tests.waybills.test_parts.Parts.test_the_logbook_reads_on_while_it_is_marked",
    "tests.waybills.test_toml.Toml.test_a_default_is_not_written_and_a_struct_read_twice_is_two",
    "tests.waybills.test_toml.Toml.test_errors_name_their_line",
    "tests.mentions.test_free_text.Told",
    "tests.mentions.test_evidence.Types",
    *(
        f"tests.mentions.test_search.Searching.test_{name}"
        for name in (
            "a_packed_part_is_read_or_told_however_long_it_is",
            "each_folder_that_holds_the_place_counts_however_often_another_is_named",
            "many_files_are_read_by_several_processes",
            "what_costs_too_much_is_a_gap",
            "what_goes_during_the_search_is_no_gap_but_a_drive_that_goes_is",
            "what_is_fresh_is_not_remembered",
            "what_is_packed_is_read_whatever_packs_it",
            "where_a_piece_ends_nothing_is_lost_or_counted_twice",
        )
    ),
    "tests.ledgers.test_proofs.Proofs.test_a_byte_too_many_in_a_text",
    "tests.ledgers.test_instruments.Included.test_hostile",
)


def main(names: list[str]) -> int:
    """Count, and show what failed."""
    loader, suite = unittest.TestLoader(), unittest.TestSuite()
    for name in names or ["tests.windows.test_paths", "tests.windows.test_job", *PORTABLE]:
        suite.addTest(loader.loadTestsFromName(name))
    result = unittest.TextTestRunner(stream=sys.stdout, verbosity=VERBOSITY).run(suite)
    bad, skipped = len(result.failures) + len(result.errors), len(result.skipped)
    print(f"Windows: {result.testsRun - bad - skipped} passed, {bad} failed, {skipped} skipped")
    return 1 if bad or not result.testsRun else 0


if __name__ == "__main__":
    sys.exit(main([word for word in sys.argv[1:] if word != "-v"]))
