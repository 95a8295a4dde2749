"""Operations of nodes, a file for each family."""
