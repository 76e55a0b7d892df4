"""The tests of other folders that hold on every system."""

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
    "tests.judging.test_judge.Verdicts.test_a_check_without_a_trip_is_strict",
    *(
        f"tests.ledgers.test_contract.Contract.test_{name}"
        for name in (
            "cells_are_read_with_the_numbers_of_their_rows",
            "every_format_has_a_sample",
            "rewriting_nothing_gives_the_same",
        )
    ),
    *(
        f"tests.ledgers.test_contract.Recognition.test_{name}"
        for name in ("a_playlist_is_known_by_its_root_and_not_by_a_mention",)
    ),
    *(
        f"tests.ledgers.test_contract.Refusals.test_{name}"
        for name in (
            "a_name_that_would_be_a_comment",
            "a_unique_clash",
            "files_that_are_not_what_they_claim",
            "rows_without_number_and_pages_unwritten",
            "search_tables_follow_whatever_keeps_them",
            "what_records_a_doing_sleeps_and_what_is_derived_follows",
        )
    ),
    *(
        f"tests.ledgers.test_dependants.Left.test_{name}"
        for name in (
            "a_package_that_lists_the_digest_of_its_song",
            "binary_files_even_where_their_map_is_trusted",
            "digests_in_another_table_and_a_search_table_without_texts",
            "texts",
            "what_keeps_nothing_of_the_kind_follows",
        )
    ),
    *(
        f"tests.ledgers.test_dependants.Seen.test_{name}"
        for name in (
            "numbers_and_words_by_chance_are_no_alarm",
            "the_digest_of_a_member",
            "what_depends_on_paths_is_seen",
            "what_does_not_is_no_alarm",
        )
    ),
    *(f"tests.ledgers.test_laws.Laws.test_{name}" for name in ("a_cut_document_says_what_its_tags_say",)),
    *(
        f"tests.ledgers.test_laws.Swapped.test_{name}"
        for name in ("many_at_once_are_what_each_would_be", "what_goes_in_part_gets_the_texts_that_each_would")
    ),
    *(
        f"tests.ledgers.test_legacy.Legacy.test_{name}"
        for name in ("a_new_place_that_the_encoding_cannot_write_is_refused",)
    ),
    *(f"tests.ledgers.test_maps.Containers.test_{name}" for name in ("errors_in_maps_name_file_and_line",)),
    *(
        f"tests.ledgers.test_maps.Databases.test_{name}"
        for name in (
            "cue_sheets_tell_the_titles_of_files_that_are_one_track",
            "facts_are_taken_from_cells_of_any_kind",
            "lists_in_json_by_number_by_name_and_by_key",
            "playlists_tell_titles_and_lengths",
        )
    ),
    *(f"tests.ledgers.test_maps.Hostile.test_{name}" for name in ("bombs_and_damage",)),
    *(
        f"tests.mentions.test_evidence.Passed.test_{name}"
        for name in (
            "a_log_is_an_old_record_whatever_it_is_called",
            "files_called_like_logs_and_files_that_begin_like_something",
            "what_a_collection_holds_is_left_to_itself",
        )
    ),
    *(
        f"tests.mentions.test_forms.Forms.test_{name}"
        for name in (
            "any_name_is_found_as_most_programs_write_it",
            "each_form_is_found_once",
            "each_form_of_names_with_hardly_a_letter_of_ascii_is_found_once",
            "no_bytes_around_it_upset_the_search",
            "the_new_place_is_no_mention_of_the_old",
            "what_is_remembered_of_a_line_is_how_its_letters_are_read_there",
            "what_is_remembered_of_a_line_is_what_is_there",
        )
    ),
    *(
        f"tests.mentions.test_free_text.Unchanged.test_{name}"
        for name in ("where_somebody_was_on_the_web_is_no_library",)
    ),
    *(f"tests.waybills.test_parts.Decisions.test_{name}" for name in ("strays_of_one_name_and_a_second_look",)),
    *(f"tests.learning.test_unaided.Unaided.test_{name}" for name in ("a_folder_needs_to_know_what_to_look_for",)),
    *(
        f"tests.mending.test_discovery.Discovered.test_{name}"
        for name in ("a_name_that_no_file_can_have_is_none", "two_lost_sounds_are_not_both_the_one_file_of_their_name")
    ),
    *(
        f"tests.mending.test_discovery.Dragged.test_{name}"
        for name in (
            "all_programs_play_again_though_nobody_described_them",
            "what_is_found_nowhere_is_said_and_no_ledger_is_touched",
        )
    ),
    *(f"tests.mending.test_parting.Parting.test_{name}" for name in ("nothing_else_in_their_rows_may_change",)),
    *(
        f"tests.mentions.test_encoded.Encoded.test_{name}"
        for name in ("in_a_database", "what_goes_on_behind_a_piece_is_no_part_that_is_known", "what_only_looks_like_it")
    ),
    *(
        f"tests.planning.test_views.Views.test_{name}"
        for name in (
            "a_list_that_shows_the_new_place_already_stays",
            "a_person_may_say_that_it_may_be_so",
            "a_signpost_keeps_what_is_seen",
            "one_file_of_a_listed_folder",
        )
    ),
)
