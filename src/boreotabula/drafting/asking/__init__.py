"""What a person decides: questions, answers, and changes of a layout."""
