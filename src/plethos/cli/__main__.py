from plethos.cli import main

main()
