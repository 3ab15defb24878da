@echo off
rem Runs the command line of the R package clockpigeon.
setlocal
set "R_LIBS=@LIBRARY@;%R_LIBS%"
set "R_DEFAULT_PACKAGES=NULL"
"@RSCRIPT@" --no-init-file -e "quit(save = 'no', status = clockpigeon::cli())" %*
exit /b %ERRORLEVEL%
