! SPDX-License-Identifier: MIT
! The rates of a model from Fortran, through the C interface of boreon/kernel.h.
program residual
  use, intrinsic :: iso_c_binding
  implicit none
  interface
    function boreon_open(model_file, message, length) bind(c) result(kernel)
      import :: c_ptr, c_char, c_size_t
      character(kind=c_char), intent(in) :: model_file(*)
      character(kind=c_char), intent(out) :: message(*)
      integer(c_size_t), value :: length
      type(c_ptr) :: kernel
    end function
    subroutine boreon_close(kernel) bind(c)
      import :: c_ptr
      type(c_ptr), value :: kernel
    end subroutine
    function boreon_unknowns(kernel) bind(c) result(n)
      import :: c_ptr, c_int
      type(c_ptr), value :: kernel
      integer(c_int) :: n
    end function
    function boreon_parameters(kernel) bind(c) result(n)
      import :: c_ptr, c_int
      type(c_ptr), value :: kernel
      integer(c_int) :: n
    end function
    subroutine boreon_start(kernel, y, p) bind(c)
      import :: c_ptr, c_double
      type(c_ptr), value :: kernel
      real(c_double), intent(out) :: y(*), p(*)
    end subroutine
    subroutine boreon_residual(kernel, y, p, t, f) bind(c)
      import :: c_ptr, c_double
      type(c_ptr), value :: kernel
      real(c_double), intent(in) :: y(*), p(*)
      real(c_double), value :: t
      real(c_double), intent(out) :: f(*)
    end subroutine
  end interface
  type(c_ptr) :: kernel
  character(kind=c_char) :: message(500)
  character(len=500) :: file
  real(c_double), allocatable :: y(:), p(:), f(:)
  integer :: i

  call get_command_argument(1, file)
  kernel = boreon_open(trim(file)//c_null_char, message, size(message, kind=c_size_t))
  if (.not. c_associated(kernel)) stop 1
  allocate (y(boreon_unknowns(kernel)), f(boreon_unknowns(kernel)), p(boreon_parameters(kernel)))
  call boreon_start(kernel, y, p)
  call boreon_residual(kernel, y, p, 0.0_c_double, f)
  do i = 1, size(f)
    print '(a,i0,a,es22.15)', 'f(', i, ') = ', f(i)
  end do
  call boreon_close(kernel)
end program
