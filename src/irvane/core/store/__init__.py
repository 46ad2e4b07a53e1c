"""What is kept, in memory and on disk: results by what they were made of, files that are whole or not
there."""
