"""The company's library of sections: cleaned from suppliers' drawings, kept with all that is known of them, handed on
as one open file."""
