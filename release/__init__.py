"""What is handed out: built, checked and tried as a newcomer has it."""
